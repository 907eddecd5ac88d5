#include <algorithm>
#include <cmath>
#include <map>

#include <Eigen/Geometry>

#include "aguja/surface/sew.h"
#include "surface/edge_fit.h"

namespace aguja {
namespace {

// The sine between planes up to which they are one: a micrometre in a metre.
constexpr double kSamePlaneSine = 1e-6;

// A loop of open edges as the missing face would use them.
struct RimLoop {
  std::vector<EdgeUseOfFace> uses;
  std::vector<Point> samples;
  Point middle = Point::Zero();
  Vector area = Vector::Zero();  // twice, by Newell
  std::uint32_t shell = 0;
  bool is_flat = false;
  double off = 0;
  bool taken = false;
};

class PlaneCloser {
 public:
  PlaneCloser(const Body& body, double tolerance) : tolerance_(tolerance) { result_.body = body; }

  ClosePlanesResult run() {
    find_loops();
    for (RimLoop& l : loops_) look_at(l);
    // Largest first: those within it, running the other way, are holes of its face.
    std::vector<std::size_t> order(loops_.size());
    for (std::size_t i = 0; i < order.size(); ++i) order[i] = i;
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
      return loops_[a].area.norm() > loops_[b].area.norm();
    });
    for (const std::size_t i : order) {
      if (loops_[i].is_flat && !loops_[i].taken) close(i, order);
    }
    return std::move(result_);
  }

 private:
  void find_loops() {
    const std::vector<std::uint32_t> uses = edge_uses(body_);
    struct Step {
      EdgeUseOfFace use;
      std::uint32_t to, shell;
    };
    std::map<std::uint32_t, std::vector<Step>> from;  // by vertex
    for (std::uint32_t s = 0; s < body_.shells.size(); ++s) {
      for (const BodyShell::Use& face : body_.shells[s].faces) {
        for (const FaceLoop& l : body_.faces[face.face].loops) {
          for (const EdgeUseOfFace& u : l.edges) {
            const BodyEdge& edge = body_.edges[u.edge];
            if (uses[u.edge] != 1 || !has_ends(edge)) continue;
            const bool forward = u.forward != face.forward;  // against the neighbour
            from[forward ? edge.start : edge.end].push_back(
                {{u.edge, forward, nullptr}, forward ? edge.end : edge.start, s});
            faces_at_[u.edge] = face.face;
          }
        }
      }
    }
    std::map<std::uint32_t, bool> done;
    for (const auto& [first, steps] : from) {
      if (steps.size() != 1 || done[first]) continue;
      RimLoop loop;
      loop.shell = steps[0].shell;
      bool whole = true;
      for (std::uint32_t at = first;;) {
        const auto next = from.find(at);
        // Where rims branch nobody can tell which way one goes on.
        if (next == from.end() || next->second.size() != 1 || done[at]) {
          whole = false;
          break;
        }
        done[at] = true;
        loop.uses.push_back(next->second[0].use);
        at = next->second[0].to;
        if (at == first) break;
      }
      if (whole) loops_.push_back(std::move(loop));
    }
  }

  void look_at(RimLoop& l) const {
    constexpr int kPieces = 16;
    for (const EdgeUseOfFace& u : l.uses) {
      const BodyEdge& e = body_.edges[u.edge];
      for (int i = 0; i < kPieces; ++i) {
        const double part = static_cast<double>(u.forward ? i : kPieces - i) / kPieces;
        l.samples.push_back(e.curve->point(e.from + part * (e.to - e.from)));
      }
    }
    for (const Point& p : l.samples) l.middle += p / static_cast<double>(l.samples.size());
    for (std::size_t i = 0; i < l.samples.size(); ++i) {
      const Vector a = l.samples[i] - l.middle,
                   b = l.samples[(i + 1) % l.samples.size()] - l.middle;
      l.area += a.cross(b);
    }
    const double size = l.area.norm();
    if (!(size > 0) || !std::isfinite(size)) return;
    const Vector n = l.area / size;
    for (const Point& p : l.samples) l.off = std::max(l.off, std::fabs(n.dot(p - l.middle)));
    // A face that lies in the plane already would be covered, not closed.
    l.is_flat =
        l.off <= tolerance_ && !std::all_of(l.uses.begin(), l.uses.end(), [&](const auto& u) {
          return lies_in(body_.faces[faces_at_.at(u.edge)], l.middle, n);
        });
  }
  [[nodiscard]] bool lies_in(const Face& face, const Point& p, const Vector& n) const {
    if (face.surface->kind() != SurfaceKind::plane) return false;
    const SurfacePoint at = face.surface->at(0, 0);
    return at.normal().cross(n).norm() <= kSamePlaneSine &&
           std::fabs(n.dot(at.p - p)) <= tolerance_;
  }

  void close(std::size_t outer, const std::vector<std::size_t>& order) {
    const Vector n = loops_[outer].area.normalized();
    const Frame frame = Frame::from(loops_[outer].middle, n, n.unitOrthogonal());
    Face face;
    face.surface = make_plane(frame);
    face.name = "closed";
    ClosedPlane done{static_cast<std::uint32_t>(body_.faces.size()), loops_[outer].middle, 0, 0, 0};
    for (const std::size_t i : order) {
      RimLoop& l = loops_[i];
      if (l.taken || !l.is_flat) continue;
      if (i != outer) {
        const bool in_plane = std::all_of(l.samples.begin(), l.samples.end(), [&](const Point& p) {
          return std::fabs(n.dot(p - loops_[outer].middle)) <= tolerance_;
        });
        if (!in_plane || l.area.dot(n) > 0 || !is_inside(loops_[outer], frame, l.samples[0]))
          continue;
      }
      l.taken = true;
      face.loops.push_back({l.uses, std::nullopt, 0});
      done.distance = std::max(done.distance, l.off);
      ++done.loops;
      done.edges += l.uses.size();
    }
    body_.faces.push_back(std::move(face));
    body_.shells[loops_[outer].shell].faces.push_back({done.face, true});
    result_.closed.push_back(done);
  }
  static bool is_inside(const RimLoop& outer, const Frame& frame, const Point& p) {
    const Point q = frame.of(p);
    bool inside = false;
    for (std::size_t i = 0; i < outer.samples.size(); ++i) {
      const Point a = frame.of(outer.samples[i]),
                  b = frame.of(outer.samples[(i + 1) % outer.samples.size()]);
      if ((a.y() > q.y()) == (b.y() > q.y())) continue;
      if (q.x() < a.x() + (q.y() - a.y()) / (b.y() - a.y()) * (b.x() - a.x())) inside = !inside;
    }
    return inside;
  }

  ClosePlanesResult result_;
  Body& body_ = result_.body;
  double tolerance_;
  std::map<std::uint32_t, std::uint32_t> faces_at_;  // by open edge
  std::vector<RimLoop> loops_;
};

}  // namespace

ClosePlanesResult close_planes(const Body& body, double tolerance) {
  return PlaneCloser(body, tolerance).run();
}

}  // namespace aguja
