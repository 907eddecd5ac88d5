#include "aguja/mesh/patches.h"

#include <algorithm>
#include <array>
#include <atomic>
#include <cmath>
#include <map>
#include <mutex>
#include <tuple>

#include <Eigen/Geometry>

#include "aguja/base/error.h"
#include "aguja/base/parallel.h"
#include "base/disjoint_sets.h"
#include "base/mixed_bits.h"
#include "base/numbers.h"
#include "geometry/small_matrix.h"
#include "mesh/patch_recogniser.h"

namespace aguja {

// The pieces into which sharp edges, and edges of one or of more than two triangles, divide a
// surface. Nothing that is recognised on one depends on another.
class SmoothPieces {
 public:
  SmoothPieces(const Welded& mesh, const EdgeTable& edges, double sharp_angle)
      : mesh_(mesh), cos_sharp_(std::cos(sharp_angle)) {
    measure_triangles();
    find_neighbours(edges);
    gather();
  }

  [[nodiscard]] std::size_t size() const { return first_.size() - 1; }
  // Rising.
  [[nodiscard]] std::span<const std::uint32_t> triangles(std::size_t piece) const {
    return {triangles_.data() + first_[piece], triangles_.data() + first_[piece + 1]};
  }

  // Pieces one after another, in memory that is used again.
  class Reader {
   public:
    explicit Reader(const SmoothPieces& pieces) : all_(pieces) {}

    // Until the next one is asked for.
    SmoothPiece read(std::size_t piece) {
      const auto own = all_.triangles(piece);
      const Welded& mesh = all_.mesh_;
      if (own.size() == mesh.triangles().size()) {
        return {mesh.points(), mesh.triangles(), all_.normal_, all_.area_, all_.neighbour_};
      }
      if (vertex_.empty()) vertex_.resize(mesh.points().size());
      points_.clear();
      triangles_.clear();
      normals_.clear();
      areas_.clear();
      neighbours_.clear();
      for (const std::uint32_t t : own) {
        Triangle local;
        for (std::size_t c = 0; c < 3; ++c) {
          const VertexId v = mesh.triangles()[t][c];
          // Numbers of other pieces are left behind there.
          std::uint32_t& number = vertex_[v.value];
          if (number >= points_.size() || points_[number] != mesh.point(v)) {
            number = static_cast<std::uint32_t>(points_.size());
            points_.push_back(mesh.point(v));
          }
          local[c] = {number};
        }
        triangles_.push_back(local);
        normals_.push_back(all_.normal_[t]);
        areas_.push_back(all_.area_[t]);
        std::array<std::uint32_t, 3> neighbours = all_.neighbour_[t];
        for (std::uint32_t& other : neighbours) {
          if (other != kNoIndex) other = all_.number_[other];
        }
        neighbours_.push_back(neighbours);
      }
      return {points_, triangles_, normals_, areas_, neighbours_};
    }

   private:
    const SmoothPieces& all_;
    std::vector<std::uint32_t> vertex_;
    std::vector<Point> points_;
    std::vector<Triangle> triangles_;
    std::vector<Eigen::Vector3f> normals_;
    std::vector<float> areas_;
    std::vector<std::array<std::uint32_t, 3>> neighbours_;
  };

 private:
  [[nodiscard]] const Point& corner(std::uint32_t t, std::size_t c) const {
    return mesh_.point(mesh_.triangles()[t][c]);
  }

  void measure_triangles() {
    const std::size_t n = mesh_.triangles().size();
    normal_.resize(n);
    area_.resize(n);
    parallel_ranges(n, 1 << 14, [&](Range r) {
      for (std::size_t i = r.begin; i < r.end; ++i) {
        const auto t = static_cast<std::uint32_t>(i);
        const Vector cross = (corner(t, 1) - corner(t, 0)).cross(corner(t, 2) - corner(t, 0));
        const double length = cross.norm();
        area_[i] = static_cast<float>(0.5 * length);
        normal_[i] =
            length > 0 ? Eigen::Vector3f((cross / length).cast<float>()) : Eigen::Vector3f::Zero();
      }
    });
  }

  // Across edges with two triangles at which the surface does not turn sharply.
  void find_neighbours(const EdgeTable& edges) {
    neighbour_.assign(mesh_.triangles().size(), {kNoIndex, kNoIndex, kNoIndex});
    parallel_ranges(edges.size(), 1 << 14, [&](Range r) {
      for (std::size_t i = r.begin; i < r.end; ++i) {
        const auto uses = edges.uses({static_cast<std::uint32_t>(i)});
        if (uses.size() != 2) continue;
        const EdgeUse a = uses[0], b = uses[1];
        const Eigen::Vector3f& na = normal_[a.triangle().value];
        const Eigen::Vector3f& nb = normal_[b.triangle().value];
        const float cosine = a.forward() == b.forward() ? -na.dot(nb) : na.dot(nb);
        // Triangles of no area have no normal: nothing ends at them.
        const bool flat = na.isZero() || nb.isZero();
        if (!flat && static_cast<double>(cosine) < cos_sharp_) continue;
        neighbour_[a.triangle().value][a.corner()] = b.triangle().value;
        neighbour_[b.triangle().value][b.corner()] = a.triangle().value;
      }
    });
  }

  void gather() {
    const auto n = static_cast<std::uint32_t>(mesh_.triangles().size());
    DisjointSets sets(n);
    parallel_ranges(n, DisjointSets::kGrain, [&](Range r) {
      for (std::size_t i = r.begin; i < r.end; ++i) {
        const auto t = static_cast<std::uint32_t>(i);
        for (const std::uint32_t other : neighbour_[t]) {
          if (other < t) sets.unite(t, other);
        }
      }
    });
    // The lowest triangle of a piece is its root, and comes first.
    std::vector<std::uint32_t> piece_of(n, kNoIndex);
    std::vector<std::uint32_t> count;
    for (std::uint32_t t = 0; t < n; ++t) {
      if (has_equal_corners(mesh_.triangles()[t])) continue;
      const std::uint32_t root = sets.find(t);
      if (root == t) {
        piece_of[t] = static_cast<std::uint32_t>(count.size());
        count.push_back(0);
      }
      piece_of[t] = piece_of[root];
      ++count[piece_of[t]];
    }
    first_.assign(1, 0);
    for (const std::uint32_t c : count) first_.push_back(first_.back() + c);
    triangles_.resize(first_.back());
    number_.resize(n);
    std::fill(count.begin(), count.end(), 0u);
    for (std::uint32_t t = 0; t < n; ++t) {
      if (piece_of[t] == kNoIndex) continue;
      number_[t] = count[piece_of[t]]++;
      triangles_[first_[piece_of[t]] + number_[t]] = t;
    }
  }

  const Welded& mesh_;
  double cos_sharp_;
  Array<Eigen::Vector3f> normal_;
  Array<float> area_;
  Array<std::array<std::uint32_t, 3>> neighbour_;
  std::vector<std::uint32_t> triangles_;  // one piece after another
  std::vector<std::size_t> first_;        // by piece, and one more
  std::vector<std::uint32_t> number_;     // by triangle: which of its piece
};

namespace {

// Twice the rounding of a float.
constexpr double kFloatRounding = 0x1p-22;

// Pieces that are taken one after another by one thread, so that few wait for a large one.
std::vector<Range> batches_of(const SmoothPieces& pieces) {
  constexpr std::size_t kFewTriangles = 4096;
  std::vector<Range> batches;
  std::size_t begin = 0, sum = 0;
  for (std::size_t p = 0; p < pieces.size(); ++p) {
    sum += pieces.triangles(p).size();
    if (sum < kFewTriangles && p + 1 < pieces.size()) continue;
    batches.push_back({begin, p + 1});
    begin = p + 1;
    sum = 0;
  }
  return batches;
}

// As if all had been looked at together: larger facets first.
bool comes_first(const RecognisedPiece::Found& a, const RecognisedPiece::Found& b) {
  const auto key = [](const RecognisedPiece::Found& f) {
    return std::tuple(f.pass, falling_key(f.facet_area), falling_key(f.seed_area), f.seed);
  };
  return key(a) < key(b);
}

void check(const PatchOptions& options) {
  if (!(options.fit > 0)) throw ArgumentError("patches: fit must be a length above 0");
}

}  // namespace

class PatchMemory::Pieces {
 public:
  // 128 bits: two different pieces have one key less often than memory fails.
  using Key = std::pair<std::uint64_t, std::uint64_t>;
  using Known = std::map<Key, std::shared_ptr<const RecognisedPiece>>;

  static Key key_of(const SmoothPiece& piece, double fit) {
    Key key = {piece.points.size(), piece.triangles.size()};
    const auto add = [&](std::uint64_t word) {
      key.first = mixed(key.first ^ word);
      key.second = mixed(key.second + 2 * word + 1);
    };
    const auto add_three = [&](std::uint32_t i, std::uint32_t j, std::uint32_t k) {
      add(std::uint64_t{i} << 32 | j);
      add(k);
    };
    add(bits_of(fit));
    for (const Point& p : piece.points) {
      for (int axis = 0; axis < 3; ++axis) add(bits_of(p[axis]));
    }
    for (const Triangle& t : piece.triangles) add_three(t[0].value, t[1].value, t[2].value);
    for (const auto& n : piece.neighbours) add_three(n[0], n[1], n[2]);
    return key;
  }

  std::mutex mutex;
  Known known;
  std::size_t remembered = 0;
};

PatchMemory::PatchMemory() : pieces_(std::make_unique<Pieces>()) {}
PatchMemory::~PatchMemory() = default;

std::size_t PatchMemory::remembered() const {
  const std::lock_guard lock(pieces_->mutex);
  return pieces_->remembered;
}

class PatchSearch {
 public:
  PatchSearch(const SmoothPieces& pieces, double fit, PatchMemory* memory)
      : pieces_(pieces),
        fit_(fit),
        memory_(memory == nullptr ? nullptr : memory->pieces_.get()),
        batches_(batches_of(pieces)),
        found_(batches_.size()) {
    if (memory_ == nullptr) return;
    // Not held while threads work: one that waits may turn to another search with this memory.
    const std::lock_guard lock(memory_->mutex);
    known_ = memory_->known;
  }

  Patches search(std::size_t triangles) {
    Patches result;
    result.patch_of.assign(triangles, PatchId{kNoIndex});
    PatchId* const patch_of = result.patch_of.data();
    std::atomic<std::size_t> next = 0;
    std::vector<Memory::Known> used(std::min(thread_count(), batches_.size()));
    std::atomic<std::size_t> remembered = 0;
    parallel_tasks(used.size(), [&](std::size_t worker) {
      SmoothPieces::Reader reader(pieces_);
      PatchRecogniser recogniser(fit_);
      for (std::size_t b = next++; b < batches_.size(); b = next++) {
        for (std::size_t p = batches_[b].begin; p < batches_[b].end; ++p) {
          const SmoothPiece piece = reader.read(p);
          if (memory_ == nullptr || piece.triangles.size() < kFewToRemember) {
            take(b, p, recogniser.recognise(piece), patch_of);
            continue;
          }
          const Memory::Key key = Memory::key_of(piece, fit_);
          const auto known = known_.find(key);
          if (known != known_.end()) remembered += piece.triangles.size();
          const auto own =
              known != known_.end()
                  ? known->second
                  : std::make_shared<const RecognisedPiece>(recogniser.recognise(piece));
          used[worker].emplace(key, own);
          take(b, p, *own, patch_of);
        }
      }
    });
    if (memory_ != nullptr) {
      const std::lock_guard lock(memory_->mutex);
      memory_->known.clear();
      for (Memory::Known& own : used) memory_->known.merge(own);
      memory_->remembered = remembered;
    }
    number(result);
    return result;
  }

 private:
  using Memory = PatchMemory::Pieces;
  static constexpr std::size_t kFewToRemember = 64;

  // Patches get their number in the batch.
  void take(std::size_t batch, std::size_t p, const RecognisedPiece& piece, PatchId* patch_of) {
    const auto own = pieces_.triangles(p);
    const auto before = static_cast<std::uint32_t>(found_[batch].size());
    for (std::size_t i = 0; i < own.size(); ++i) {
      patch_of[own[i]] = {piece.patch_of[i].value + before};
    }
    for (const RecognisedPiece::Found& f : piece.patches) {
      found_[batch].push_back(f);
      found_[batch].back().seed = own[f.seed];
    }
  }

  // Now their number among all.
  void number(Patches& result) {
    std::vector<std::pair<std::uint32_t, std::uint32_t>> order;  // batch and number in it
    for (std::uint32_t b = 0; b < found_.size(); ++b) {
      for (std::uint32_t i = 0; i < found_[b].size(); ++i) order.emplace_back(b, i);
    }
    std::sort(order.begin(), order.end(), [&](const auto& x, const auto& y) {
      return comes_first(found_[x.first][x.second], found_[y.first][y.second]);
    });
    std::vector<std::vector<PatchId>> number(found_.size());
    for (std::size_t b = 0; b < found_.size(); ++b) number[b].resize(found_[b].size());
    for (const auto& [b, i] : order) {
      number[b][i] = {static_cast<std::uint32_t>(result.patches.size())};
      result.patches.push_back(std::move(found_[b][i].patch));
    }
    PatchId* const patch_of = result.patch_of.data();
    parallel_tasks(batches_.size(), [&](std::size_t b) {
      for (std::size_t p = batches_[b].begin; p < batches_[b].end; ++p) {
        for (const std::uint32_t t : pieces_.triangles(p)) {
          patch_of[t] = number[b][patch_of[t].value];
        }
      }
    });
  }

  const SmoothPieces& pieces_;
  double fit_;
  Memory* memory_;
  Memory::Known known_;
  std::vector<Range> batches_;
  std::vector<std::vector<RecognisedPiece::Found>> found_;  // by batch
};

Patches recognise_patches(const Welded& mesh, const EdgeTable& edges, const PatchOptions& options,
                          PatchMemory* memory) {
  check(options);
  const SmoothPieces pieces(mesh, edges, options.sharp_angle);
  return PatchSearch(pieces, options.fit, memory).search(mesh.triangles().size());
}

Patches patches_of_file(const Welded& mesh, std::span<const PatchId> patch_of,
                        const PatchOptions& options) {
  check(options);
  Patches result;
  result.from_file = true;
  result.patch_of.assign(patch_of.begin(), patch_of.end());
  std::vector<std::vector<std::uint32_t>> own;
  for (std::uint32_t t = 0; t < patch_of.size(); ++t) {
    if (has_equal_corners(mesh.triangles()[t])) {
      result.patch_of[t] = {kNoIndex};
      continue;
    }
    if (patch_of[t].value >= own.size()) own.resize(patch_of[t].value + 1);
    own[patch_of[t].value].push_back(t);
  }
  result.patches.resize(own.size());
  parallel_ranges(own.size(), 8, [&](Range r) {
    for (std::size_t p = r.begin; p < r.end; ++p) {
      Patch& patch = result.patches[p];
      patch.triangles = own[p].size();
      std::vector<Point> points;
      std::vector<Point> feet;
      std::vector<Vector> normals;
      const std::size_t step = std::max<std::size_t>(1, own[p].size() / (kMostFitted / 2));
      for (std::size_t i = 0; i < own[p].size(); ++i) {
        const Triangle& t = mesh.triangles()[own[p][i]];
        const Point &a = mesh.point(t[0]), &b = mesh.point(t[1]), &c = mesh.point(t[2]);
        const Vector cross = (b - a).cross(c - a);
        patch.area += 0.5 * cross.norm();
        if (i % step != 0) continue;
        for (const Point& q : {a, b, c}) points.push_back(q);
        if (cross.norm() == 0) continue;
        feet.push_back((a + b + c) / 3.0);
        normals.push_back(cross.normalized());
      }
      if (normals.size() < 2) normals.clear();
      std::vector<std::optional<Primitive>> guesses = {fit_plane(points)};
      if (!normals.empty()) {
        Eigen::Matrix3d spread = Eigen::Matrix3d::Zero();
        for (const Vector& n : normals) spread += n * n.transpose();
        guesses.push_back(guess_cylinder(points, principal_axes(spread).vectors.col(0)));
        guesses.push_back(guess_sphere(points));
        guesses.push_back(guess_cone(points, feet, normals));
        guesses.push_back(guess_torus(points, feet, normals));
      }
      std::vector<Point> distinct = points;
      std::sort(distinct.begin(), distinct.end(), lexicographically_less);
      const auto last = std::unique(distinct.begin(), distinct.end());
      const auto known = static_cast<std::size_t>(last - distinct.begin());
      // Any five points lie on a sphere, nearly: curved surfaces want more than they can always
      // fit.
      constexpr std::size_t kFewestForCurved = 10;
      for (const auto& guess : guesses) {
        if (!guess) continue;
        if (guess->kind != PrimitiveKind::plane && known < kFewestForCurved) continue;
        const auto fitted = guess->kind == PrimitiveKind::plane ? guess : refine(*guess, points);
        if (!fitted) continue;
        double farthest = 0;
        for (const std::uint32_t t : own[p]) {
          for (const VertexId v : mesh.triangles()[t].corner) {
            farthest = std::max(farthest, std::fabs(fitted->distance(mesh.point(v))));
          }
          if (farthest > options.fit) break;
        }
        if (farthest > options.fit) continue;
        // Few points fit many surfaces: facets must turn with it, all to one side.
        double least = 1, most = -1;
        for (std::size_t i = 0; i < normals.size(); ++i) {
          const double cosine = fitted->normal(feet[i]).dot(normals[i]);
          least = std::min(least, cosine);
          most = std::max(most, cosine);
        }
        constexpr double kTurns = 0.7;
        if (!normals.empty() && least < kTurns && most > -kTurns) continue;
        patch.surface = fitted;
        patch.fit_error = farthest;
        break;
      }
    }
  });
  return result;
}

Patches patches_of(const Welded& mesh, const EdgeTable& edges, std::span<const PatchId> patch_of,
                   const PatchOptions& options) {
  return patch_of.empty() ? recognise_patches(mesh, edges, options)
                          : patches_of_file(mesh, patch_of, options);
}

std::optional<double> decimal_grid(std::span<const Point> points, double finest) {
  // A few points lie on a coarse grid by chance.
  constexpr std::size_t kFewest = 50, kSample = 4000;
  constexpr double kOffGrid = 1e-6;  // of a cell: what rounding makes of large coordinates
  if (points.size() < kFewest) return std::nullopt;
  const std::size_t step = std::max<std::size_t>(1, points.size() / kSample);
  for (double grid = 1; grid > finest; grid /= 10) {
    bool on_grid = true;
    for (std::size_t i = 0; i < points.size() && on_grid; i += step) {
      for (int axis = 0; axis < 3 && on_grid; ++axis) {
        const double cells = points[i][axis] / grid;
        on_grid = std::fabs(cells - std::round(cells)) <= kOffGrid;
      }
    }
    if (on_grid) return grid;
  }
  return std::nullopt;
}

double fit_for(std::span<const Point> points, double wanted) {
  const Box box = box_of(points);
  if (box.is_empty()) return std::max(wanted, kSomeLength);
  const double farthest = std::max(box.low.cwiseAbs().maxCoeff(), box.high.cwiseAbs().maxCoeff());
  const double fit = std::max({wanted, farthest * kFloatRounding, kSomeLength});
  // Half a cell off along all three axes.
  constexpr double kOfCell = 0.9, kMostOfDiagonal = 2e-4;
  const auto grid = decimal_grid(points, fit / kOfCell);
  return grid ? std::max(fit, std::min(kOfCell * *grid, kMostOfDiagonal * box.diagonal())) : fit;
}

}  // namespace aguja
