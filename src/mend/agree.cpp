#include "mend/agree.h"

#include <cmath>

#include <Eigen/Geometry>

#include "aguja/geometry/box_tree.h"
#include "aguja/mesh/components.h"
#include "aguja/mesh/weld.h"

namespace aguja {
namespace {

// Regions that agree within themselves, and what joins them.
struct RegionLink {
  std::uint32_t region;
  bool disagrees;
};

class Agreement {
 public:
  Agreement(Mesh& mesh, const EdgeTable& edges, const std::vector<bool>& joined)
      : mesh_(mesh),
        edges_(edges),
        regions_(find_components(mesh.triangles, edges, Joining::agreeing_edge)),
        components_(find_components(mesh.triangles, edges)),
        links_(regions_.count),
        area_(regions_.count, 0.0),
        volume_(regions_.count, 0.0),
        component_of_(regions_.count, 0),
        stays_(components_.count, false),
        open_(components_.count, false),
        box_(components_.count) {
    measure();
    link(joined);
  }

  std::size_t run() {
    std::vector<signed char> side(regions_.count, 0);
    std::vector<bool> turned(regions_.count, false);
    bool any = false;
    for (std::uint32_t r = 0; r < regions_.count; ++r) {
      if (side[r] != 0 || stays_[component_of_[r]]) continue;
      std::vector<std::uint32_t> group = {r};
      side[r] = 1;
      bool consistent = true;
      for (std::size_t i = 0; i < group.size(); ++i) {
        for (const RegionLink& l : links_[group[i]]) {
          const auto wanted =
              static_cast<signed char>(l.disagrees ? -side[group[i]] : side[group[i]]);
          if (side[l.region] == 0) {
            side[l.region] = wanted;
            group.push_back(l.region);
          }
          consistent &= side[l.region] == wanted;
        }
      }
      if (group.size() == 1 || !consistent) continue;
      const bool flip = flips(group, side);
      for (const std::uint32_t g : group) {
        turned[g] = (side[g] < 0) != flip;
        any |= turned[g];
      }
    }
    return any ? turn(turned) : 0;
  }

 private:
  void measure() {
    for (std::uint32_t t = 0; t < mesh_.triangles.size(); ++t) {
      if (!regions_.has({t})) continue;
      const Triangle& tri = mesh_.triangles[t];
      const std::uint32_t r = regions_.shell_of[t].value;
      const std::uint32_t c = components_.shell_of[t].value;
      component_of_[r] = c;
      for (const VertexId v : tri.corner) box_[c].extend(mesh_.point(v));
    }
    for (std::uint32_t t = 0; t < mesh_.triangles.size(); ++t) {
      if (!regions_.has({t})) continue;
      const Triangle& tri = mesh_.triangles[t];
      const std::uint32_t r = regions_.shell_of[t].value;
      const Point origin = box_[component_of_[r]].center();
      const Vector a = mesh_.point(tri[0]) - origin, b = mesh_.point(tri[1]) - origin,
                   c = mesh_.point(tri[2]) - origin;
      area_[r] += 0.5 * (b - a).cross(c - a).norm();
      volume_[r] += a.dot(b.cross(c)) / 6;
    }
  }

  void link(const std::vector<bool>& joined) {
    for (std::uint32_t i = 0; i < edges_.size(); ++i) {
      const EdgeId e{i};
      const auto uses = edges_.uses(e);
      const std::uint32_t component = components_.shell_of[uses[0].triangle().value].value;
      if (uses.size() != 2) {
        open_[component] = true;
        continue;
      }
      const bool conflict = edges_.is_winding_conflict(e);
      if (!conflict && !joined[i]) continue;
      if (conflict && !joined[i]) {
        stays_[component] = true;
        continue;
      }
      const std::uint32_t x = regions_.shell_of[uses[0].triangle().value].value;
      const std::uint32_t y = regions_.shell_of[uses[1].triangle().value].value;
      links_[x].push_back({y, conflict});
      links_[y].push_back({x, conflict});
    }
  }

  // Should the regions on side +1 be turned instead of those on side -1?
  [[nodiscard]] bool flips(const std::vector<std::uint32_t>& group,
                           const std::vector<signed char>& side) {
    const std::uint32_t component = component_of_[group[0]];
    double volume = 0, plus = 0, minus = 0;
    for (const std::uint32_t g : group) {
      volume += side[g] * volume_[g];
      (side[g] > 0 ? plus : minus) += area_[g];
    }
    if (minus == 0) return false;
    if (!open_[component] && !is_enclosed(component)) return volume < 0;
    return minus > plus;
  }
  [[nodiscard]] bool is_enclosed(std::uint32_t component) {
    if (tree_.size() == 0) {
      Array<FloatBox> boxes;
      for (const Box& box : box_) boxes.push_back(FloatBox(box));
      tree_ = BoxTree(std::move(boxes));
    }
    bool enclosed = false;
    tree_.for_each_meeting(FloatBox(box_[component]), [&](std::uint32_t c) {
      enclosed |= c != component && box_[c].contains(box_[component]);
    });
    return enclosed;
  }

  std::size_t turn(const std::vector<bool>& turned) {
    std::size_t count = 0;
    for (std::uint32_t t = 0; t < mesh_.triangles.size(); ++t) {
      if (!regions_.has({t}) || !turned[regions_.shell_of[t].value]) continue;
      std::swap(mesh_.triangles[t][1], mesh_.triangles[t][2]);
      ++count;
    }
    return count;
  }

  Mesh& mesh_;
  const EdgeTable& edges_;
  Components regions_;
  Components components_;
  std::vector<std::vector<RegionLink>> links_;
  std::vector<double> area_;
  std::vector<double> volume_;  // of the cones to the middle of the component's box
  std::vector<std::uint32_t> component_of_;
  std::vector<bool> stays_;  // by component: there are conflicts that no join made
  std::vector<bool> open_;
  std::vector<Box> box_;
  BoxTree tree_;  // of the boxes, made when first asked
};

}  // namespace

std::size_t make_agree(Mesh& mesh, const EdgeTable& edges, const std::vector<bool>& joined) {
  bool any = false;
  for (std::uint32_t i = 0; i < edges.size() && !any; ++i) {
    any = joined[i] && edges.is_winding_conflict({i});
  }
  return any ? Agreement(mesh, edges, joined).run() : 0;
}

}  // namespace aguja
