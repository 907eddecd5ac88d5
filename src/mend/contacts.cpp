#include "aguja/mend/contacts.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <optional>
#include <set>

#include <Eigen/Geometry>

#include "aguja/geometry/exact_points.h"
#include "aguja/mesh/crossings.h"
#include "aguja/mesh/edge_table.h"
#include "aguja/mesh/fans.h"
#include "base/disjoint_sets.h"
#include "solid/cell_sides.h"

namespace aguja {
namespace {

bool is_contact_edge(const EdgeTable& edges, EdgeId e) {
  return edges.is_nonmanifold(e) && edges.is_balanced(e);
}

// Contacts: edges with more than two triangles that hang together, and vertices with several fans.
struct ContactSets {
  std::vector<EdgeId> edges;
  std::map<std::uint32_t, std::uint32_t> set_of_vertex;
  std::uint32_t count = 0;
};

ContactSets contact_sets(const Mesh& mesh, const EdgeTable& edges) {
  ContactSets out;
  out.edges = select_edges(edges, [&](EdgeId e) { return edges.is_nonmanifold(e); });
  const VertexStars stars(mesh.triangles, mesh.points.size());
  std::map<std::uint32_t, std::uint32_t> number;
  std::vector<std::uint32_t> vertices;
  const auto numbered = [&](VertexId v) {
    const auto [at, is_new] = number.try_emplace(v.value, vertices.size());
    if (is_new) vertices.push_back(v.value);
    return at->second;
  };
  std::vector<std::array<std::uint32_t, 2>> joined;
  for (const EdgeId e : out.edges) {
    joined.push_back({numbered(edges.edge(e).low), numbered(edges.edge(e).high)});
  }
  for (const PinchedVertex& p : find_pinched_vertices(mesh.triangles, stars))
    (void)numbered(p.vertex);
  DisjointSets sets(vertices.size());
  for (const auto& [a, b] : joined) sets.unite(a, b);
  std::map<std::uint32_t, std::uint32_t> set_number;
  for (std::uint32_t i = 0; i < vertices.size(); ++i) {
    const auto at = set_number.try_emplace(sets.find(i), set_number.size()).first;
    out.set_of_vertex[vertices[i]] = at->second;
  }
  out.count = static_cast<std::uint32_t>(set_number.size());
  return out;
}

class ContactUndoing {
 public:
  ContactUndoing(const Mesh& mesh, const ContactOptions& options, const Budget& budget,
                 Progress* progress)
      : given_(mesh),
        how_(options.how),
        to_float_(options.round_to_float),
        budget_(budget),
        progress_(progress) {}

  [[nodiscard]] Change run() {
    Change divided = with_middles();
    mesh_ = &divided.mesh;
    spent_ = divided.spent;
    const EdgeTable edges(mesh_->triangles, mesh_->points.size());
    sets_ = contact_sets(*mesh_, edges);
    if (sets_.count == 0) return unchanged(given_, budget_);
    is_left_.assign(sets_.count, false);
    pair_triangles(edges);
    find_fans(edges);
    choose_steps();
    Change change = moved();
    if (change.done == 0) {
      Change nothing = unchanged(given_, budget_);
      nothing.refused = std::move(refused_);
      return nothing;
    }
    std::vector<Refusal> refused = std::move(refused_);
    change = composed(divided, std::move(change));
    change.refused = std::move(refused);
    return change;
  }

 private:
  // Some fan of triangles at a vertex of a contact: a vertex of its own, moved.
  struct Fan {
    VertexId vertex;
    std::vector<TriangleId> triangles;
    Vector into = Vector::Zero();  // unit
    double most = 0;               // it may move so far
  };

  // An edge between two vertices that keep one fan each has to have one between them that does not:
  // where contact edges end, or branch, the edge gets a middle.
  [[nodiscard]] Change with_middles() const {
    Change out = unchanged(given_, budget_);
    const EdgeTable edges(given_.triangles, given_.points.size());
    std::map<std::uint32_t, int> ends;  // by vertex: contact edges there
    for (std::uint32_t e = 0; e < edges.size(); ++e) {
      if (!is_contact_edge(edges, {e})) continue;
      ++ends[edges.edge({e}).low.value];
      ++ends[edges.edge({e}).high.value];
    }
    std::map<std::array<std::uint32_t, 2>, VertexId> middle_of;
    std::map<std::uint32_t, std::vector<std::pair<unsigned, VertexId>>> cuts;  // by triangle
    Mesh mesh = given_;
    for (std::uint32_t i = 0; i < edges.size(); ++i) {
      const EdgeId e{i};
      if (!is_contact_edge(edges, e)) continue;
      const Edge& edge = edges.edge(e);
      if (ends[edge.low.value] == 2 && ends[edge.high.value] == 2) continue;
      const VertexId middle{static_cast<std::uint32_t>(mesh.points.size())};
      mesh.points.push_back(0.5 * given_.point(edge.low) + 0.5 * given_.point(edge.high));
      for (const EdgeUse use : edges.uses(e)) {
        cuts[use.triangle().value].emplace_back(use.corner(), middle);
      }
    }
    if (cuts.empty()) return out;
    mesh.triangles.clear();
    mesh.patch_of.clear();
    out.parent.clear();
    out.spent.clear();
    for (std::uint32_t t = 0; t < given_.triangles.size(); ++t) {
      std::vector<Triangle> pieces = {given_.triangles[t]};
      if (const auto at = cuts.find(t); at != cuts.end()) {
        for (const auto& [corner, middle] : at->second) {
          divide(pieces, given_.triangles[t][corner], given_.triangles[t][(corner + 1) % 3],
                 middle);
        }
      }
      for (const Triangle& piece : pieces) {
        mesh.triangles.push_back(piece);
        if (!given_.patch_of.empty()) mesh.patch_of.push_back(given_.patch_of[t]);
        out.parent.push_back({t});
        out.spent.push_back(budget_.spent_at({t}));
      }
    }
    out.only_adds = false;
    out.mesh = std::move(mesh);
    return out;
  }
  static void divide(std::vector<Triangle>& pieces, VertexId a, VertexId b, VertexId middle) {
    for (Triangle& piece : pieces) {
      for (std::size_t k = 0; k < 3; ++k) {
        if (piece[k] != a || piece[(k + 1) % 3] != b) continue;
        Triangle second = piece;
        piece[(k + 1) % 3] = middle;
        second[k] = middle;
        pieces.push_back(second);
        return;
      }
    }
  }

  void leave(std::uint32_t set, const Point& place, RefusalReason reason, const char* why) {
    if (is_left_[set]) return;
    is_left_[set] = true;
    refused_.push_back({reason, place, why});
  }
  [[nodiscard]] std::uint32_t set_of(VertexId v) const {
    const auto at = sets_.set_of_vertex.find(v.value);
    return at == sets_.set_of_vertex.end() ? kNoIndex : at->second;
  }

  // Around each edge of a contact, the triangles that bound the same material, or the same room.
  void pair_triangles(const EdgeTable& edges) {
    const ExactPoints points(mesh_->points);
    for (const EdgeId e : sets_.edges) {
      const Edge& edge = edges.edge(e);
      const Point place = 0.5 * mesh_->point(edge.low) + 0.5 * mesh_->point(edge.high);
      const std::uint32_t set = set_of(edge.low);
      if (!edges.is_balanced(e)) {
        leave(set, place, RefusalReason::undecided,
              "not every triangle there has one that runs the other way: close or orient it first");
        continue;
      }
      std::vector<HalfPlane> planes;
      for (const EdgeUse use : edges.uses(e)) {
        const Triangle& t = mesh_->triangle(use.triangle());
        planes.push_back({{t[0].value, t[1].value, t[2].value}, {t[(use.corner() + 2) % 3].value}});
      }
      const auto order = order_around(points, {edge.low.value}, {edge.high.value}, planes);
      if (order.size() != planes.size()) {
        leave(set, place, RefusalReason::undecided,
              "triangles lie on each other there: resolve the part first");
        continue;
      }
      for (std::size_t k = 0; k < order.size(); ++k) {
        const EdgeUse use = edges.uses(e)[order[k][0]];
        const EdgeUse next = edges.uses(e)[order[(k + 1) % order.size()][0]];
        const bool behind = side_about(use, 0, true) == 1;
        if (behind != (side_about(next, 0, false) == 1)) {
          leave(set, place, RefusalReason::undecided,
                "the surface faces the wrong way there: orient the part first");
          break;
        }
        if (behind == (how_ == ContactAs::parted)) {
          pairs_.push_back({e, use.triangle(), next.triangle()});
        }
      }
    }
  }

  void find_fans(const EdgeTable& edges) {
    const VertexStars stars(mesh_->triangles, mesh_->points.size());
    std::map<std::uint32_t, std::vector<const Pair*>> pairs_at;
    for (const Pair& p : pairs_) {
      pairs_at[edges.edge(p.edge).low.value].push_back(&p);
      pairs_at[edges.edge(p.edge).high.value].push_back(&p);
    }
    for (const auto& [v, set] : sets_.set_of_vertex) {
      const std::span<const TriangleId> star = stars.at({v});
      DisjointSets joined(star.size());
      const auto place_of = [&](TriangleId t) {
        return static_cast<std::uint32_t>(std::lower_bound(star.begin(), star.end(), t) -
                                          star.begin());
      };
      for (std::uint32_t i = 0; i < star.size(); ++i) {
        const Triangle& t = mesh_->triangle(star[i]);
        for (const VertexId w : t.corner) {
          if (w.value == v) continue;
          const EdgeId e = *edges.find({v}, w);
          if (edges.use_count(e) != 2) continue;
          for (const EdgeUse use : edges.uses(e)) joined.unite(i, place_of(use.triangle()));
        }
      }
      for (const Pair* p : pairs_at[v]) joined.unite(place_of(p->first), place_of(p->second));
      std::map<std::uint32_t, Fan> fans;
      for (std::uint32_t i = 0; i < star.size(); ++i) {
        Fan& fan = fans[joined.find(i)];
        fan.vertex = {v};
        fan.triangles.push_back(star[i]);
      }
      if (fans.size() < 2) continue;
      if (how_ == ContactAs::joined && pairs_at[v].empty()) {
        leave(set, mesh_->points[v], RefusalReason::does_not_apply,
              "bodies that meet in a point alone cannot be joined there: part them, or move one");
        continue;
      }
      for (auto& [root, fan] : fans) fans_.push_back(std::move(fan));
    }
  }

  // Into the material to part; out of it to join.
  void choose_steps() {
    // Rounding moves, too.
    constexpr double kPartOfEdge = 0.1, kOfBudget = 1 - 1e-6;
    const double sign = how_ == ContactAs::parted ? -1 : 1;
    for (Fan& fan : fans_) {
      double shortest = HUGE_VAL, spent = 0;
      Vector sum = Vector::Zero();
      for (const TriangleId t : fan.triangles) {
        const Triangle& v = mesh_->triangle(t);
        std::size_t k = 0;
        while (v[k] != fan.vertex) ++k;
        const Vector a = mesh_->point(v[(k + 1) % 3]) - mesh_->point(fan.vertex);
        const Vector b = mesh_->point(v[(k + 2) % 3]) - mesh_->point(fan.vertex);
        const Vector normal = a.cross(b);
        sum += std::atan2(normal.norm(), a.dot(b)) * normal.stableNormalized();
        shortest = std::min({shortest, a.norm(), b.norm()});
        spent = std::max(spent, spent_.empty() ? 0.0 : spent_[t.value]);
      }
      fan.into = sign * sum.stableNormalized();
      fan.most = std::min(kOfBudget * (budget_.distance - spent), kPartOfEdge * shortest);
    }
  }

  [[nodiscard]] Change moved() {
    constexpr int kTries = 6;
    constexpr double kShorter = 0.25, kLeastMove = 1e-13;
    std::vector<double> share(sets_.count, 1);
    const double least = kLeastMove * box_of(*mesh_).diagonal();
    for (const Fan& fan : fans_) {
      if (fan.most > least) continue;
      const Point& place = mesh_->point(fan.vertex);
      if (!is_left_[set_of(fan.vertex)]) {
        leave(set_of(fan.vertex), place, RefusalReason::beyond_budget,
              "nothing may move there any more");
      }
    }
    for (int i = 0;; ++i) {
      advance(progress_, "contacts", static_cast<double>(i) / kTries);
      Change change = with_fans(share);
      std::set<std::uint32_t> crossing = sets_that_cross(change);
      if (crossing.empty()) {
        note(change);
        return change;
      }
      for (const std::uint32_t set : crossing) {
        share[set] *= kShorter;
        if (i + 1 < kTries) continue;
        leave(set, place_of_set(set), RefusalReason::crossing,
              "wherever its vertices are moved within the budget, triangles cross");
      }
    }
  }
  [[nodiscard]] Point place_of_set(std::uint32_t set) const {
    for (const auto& [v, own] : sets_.set_of_vertex) {
      if (own == set) return mesh_->points[v];
    }
    return Point::Zero();
  }
  [[nodiscard]] Change with_fans(const std::vector<double>& share) {
    Change change = unchanged(*mesh_, {});
    change.only_adds = false;
    change.spent = spent_.empty() ? std::vector<double>(mesh_->triangles.size(), 0) : spent_;
    moved_.assign(mesh_->triangles.size(), false);
    std::set<std::uint32_t> used;  // vertices of which the first fan has kept the number
    for (const Fan& fan : fans_) {
      const std::uint32_t set = set_of(fan.vertex);
      if (is_left_[set]) continue;
      const double step = share[set] * fan.most;
      const Point exact = mesh_->point(fan.vertex) + step * fan.into;
      const Point to = to_float_ ? rounded_to_float(exact) : exact;
      VertexId now = fan.vertex;
      if (used.insert(fan.vertex.value).second) {
        change.mesh.points[fan.vertex.value] = to;
      } else {
        now = {static_cast<std::uint32_t>(change.mesh.points.size())};
        change.mesh.points.push_back(to);
      }
      for (const TriangleId t : fan.triangles) {
        for (VertexId& v : change.mesh.triangles[t.value].corner) {
          if (v == fan.vertex) v = now;
        }
        moved_[t.value] = true;
        double& spent = change.spent[t.value];
        spent = std::max(
            spent, (spent_.empty() ? 0 : spent_[t.value]) + (to - mesh_->point(fan.vertex)).norm());
      }
    }
    return change;
  }
  [[nodiscard]] std::set<std::uint32_t> sets_that_cross(const Change& change) const {
    std::set<std::uint32_t> sets;
    const Welded welded(change.mesh);
    const auto add_sets_of = [&](TriangleId t) {
      for (const VertexId v : mesh_->triangle(t).corner) {
        const std::uint32_t set = set_of(v);
        if (set != kNoIndex && !is_left_[set]) sets.insert(set);
      }
    };
    for (const TrianglePair& pair : find_crossings_of(welded, moved_)) {
      add_sets_of(pair.first);
      add_sets_of(pair.second);
    }
    for (std::uint32_t t = 0; t < moved_.size(); ++t) {
      const Triangle& v = welded.triangle({t});
      if (!moved_[t]) continue;
      if (is_collinear(welded.point(v[0]), welded.point(v[1]), welded.point(v[2])))
        add_sets_of({t});
    }
    return sets;
  }
  void note(Change& change) const {
    change.done =
        sets_.count - static_cast<std::size_t>(std::count(is_left_.begin(), is_left_.end(), true));
    if (change.done == 0) return;
    change.mesh.points_are_distinct = false;
    change.methods.emplace_back(how_ == ContactAs::parted
                                    ? "bodies parted where they met in edges or points alone"
                                    : "bodies joined where they met in edges alone");
  }

  struct Pair {
    EdgeId edge;
    TriangleId first, second;
  };

  const Mesh& given_;
  ContactAs how_;
  bool to_float_;
  const Budget& budget_;
  Progress* progress_;
  const Mesh* mesh_ = nullptr;
  std::vector<double> spent_;
  ContactSets sets_;
  std::vector<bool> is_left_;  // by set
  std::vector<Pair> pairs_;
  std::vector<Fan> fans_;
  std::vector<bool> moved_;
  std::vector<Refusal> refused_;
};

}  // namespace

std::vector<BodyContact> find_contacts(const Mesh& mesh) {
  const EdgeTable edges(mesh.triangles, mesh.points.size());
  const ContactSets sets = contact_sets(mesh, edges);
  std::vector<BodyContact> contacts(sets.count);
  for (const auto& [v, set] : sets.set_of_vertex) contacts[set].place = mesh.points[v];
  for (const EdgeId e : sets.edges) {
    const Edge& edge = edges.edge(e);
    BodyContact& own = contacts[sets.set_of_vertex.at(edge.low.value)];
    if (!own.has_edges) own.place = 0.5 * mesh.point(edge.low) + 0.5 * mesh.point(edge.high);
    own.has_edges = true;
  }
  return contacts;
}

Change undo_contacts(const Mesh& mesh, const ContactOptions& options, const Budget& budget,
                     Progress* progress) {
  return ContactUndoing(mesh, options, budget, progress).run();
}

std::vector<Refusal> questions_of_contacts(const Mesh& mesh, bool with_edges) {
  std::vector<Refusal> questions;
  for (const BodyContact& contact : find_contacts(mesh)) {
    if (with_edges && !contact.has_edges) continue;
    questions.push_back(
        {RefusalReason::undecided, contact.place,
         contact.has_edges ? "bodies meet in nothing but an edge there: say contact = part, and a "
                             "gap comes between them, or contact = join, and they grow together "
                             "there"
                           : "bodies meet in nothing but a point there: say contact = part, and a "
                             "gap comes between them"});
  }
  return questions;
}

}  // namespace aguja
