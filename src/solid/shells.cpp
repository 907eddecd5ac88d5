#include "aguja/solid/shells.h"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "aguja/base/parallel.h"
#include "aguja/geometry/box_tree.h"
#include "aguja/solid/winding.h"

namespace aguja {
namespace {

struct Tally {
  std::size_t edges = 0;
  std::size_t vertices = 0;
  std::size_t unbalanced = 0;
  std::size_t nonmanifold = 0;
  std::size_t conflicts = 0;
};

// Work on all edges (or vertices) of a single shell is spread over threads; of many shells it is
// done in one pass, since a tally per piece and shell would cost more than it saves.
template <class Add>
void tally(std::size_t count, std::vector<Tally>& tallies, const Add& add) {
  if (tallies.size() != 1) {
    for (std::size_t i = 0; i < count; ++i) add(static_cast<std::uint32_t>(i), tallies);
    return;
  }
  for (const auto& some : parallel_map(count, std::size_t{1} << 15, [&](Range r) {
         std::vector<Tally> own(1);
         for (std::size_t i = r.begin; i < r.end; ++i) add(static_cast<std::uint32_t>(i), own);
         return own;
       })) {
    tallies[0].edges += some[0].edges;
    tallies[0].vertices += some[0].vertices;
    tallies[0].unbalanced += some[0].unbalanced;
    tallies[0].nonmanifold += some[0].nonmanifold;
    tallies[0].conflicts += some[0].conflicts;
  }
}

void tally_edges(const EdgeTable& edges, const Components& components,
                 std::vector<Tally>& tallies) {
  tally(edges.size(), tallies, [&](std::uint32_t i, std::vector<Tally>& to) {
    const EdgeId e{i};
    Tally& t = to[components.shell_of[edges.uses(e)[0].triangle().value].value];
    ++t.edges;
    t.unbalanced += !edges.is_balanced(e);
    t.nonmanifold += edges.is_nonmanifold(e);
    t.conflicts += edges.is_winding_conflict(e);
  });
}

void tally_vertices(const VertexStars& stars, const Components& components,
                    std::vector<Tally>& tallies) {
  tally(stars.vertex_count(), tallies, [&](std::uint32_t i, std::vector<Tally>& to) {
    // A vertex counts once for each shell that meets there.
    thread_local std::vector<ShellId> here;
    here.clear();
    for (const TriangleId t : stars.at({i})) {
      const ShellId shell = components.shell_of[t.value];
      if (here.empty() || here.back() != shell) here.push_back(shell);
    }
    std::sort(here.begin(), here.end());
    here.erase(std::unique(here.begin(), here.end()), here.end());
    for (const ShellId shell : here) ++to[shell.value].vertices;
  });
}

// Which of a vertex's fans belong to the same shell? Only those make the shell itself non-manifold,
// but two shells that meet in a vertex are not a solid either: both are marked.
void mark_pinched(const VertexStars& stars, const Components& components,
                  std::span<const PinchedVertex> pinched, std::vector<Shell>& shells) {
  for (const PinchedVertex& p : pinched) {
    for (const TriangleId t : stars.at(p.vertex)) {
      shells[components.shell_of[t.value].value].manifold = false;
    }
  }
}

struct Containment {
  std::size_t inner;
  std::size_t outer;
};

// Pairs of closed shells whose boxes would allow one inside the other.
std::vector<Containment> candidates(const std::vector<Shell>& shells) {
  std::vector<std::size_t> closed;
  Array<FloatBox> boxes;
  for (std::size_t s = 0; s < shells.size(); ++s) {
    if (!shells[s].closed || shells[s].triangles == 0) continue;
    closed.push_back(s);
    boxes.push_back(FloatBox(shells[s].box));
  }
  const BoxTree tree(boxes);
  std::vector<Containment> pairs;
  for (std::size_t i = 0; i < closed.size(); ++i) {
    const std::size_t inner = closed[i];
    tree.for_each_meeting(boxes[i], [&](std::uint32_t j) {
      const std::size_t outer = closed[j];
      if (outer != inner && shells[outer].box.contains(shells[inner].box)) {
        pairs.push_back({inner, outer});
      }
    });
  }
  return pairs;
}

// Closed shells in the box of what is not closed: one shell, or several whose boxes meet, as those
// of a cracked model do. One of them is taken as a stand-in for all.
void mark_waiting(std::vector<Shell>& shells) {
  std::vector<std::size_t> open;
  Array<FloatBox> boxes;
  for (std::size_t s = 0; s < shells.size(); ++s) {
    if (shells[s].closed) continue;
    open.push_back(s);
    boxes.push_back(FloatBox(shells[s].box));
  }
  if (open.empty()) return;
  struct Cluster {
    Box box;
    std::size_t largest;
  };
  const BoxTree tree(boxes);
  BoxTree::Remaining left(tree);
  std::vector<Cluster> ordered;
  std::vector<bool> is_in_one(open.size());
  for (std::uint32_t first = 0; first < open.size(); ++first) {
    if (is_in_one[first]) continue;
    std::vector<std::uint32_t> members = {first};
    is_in_one[first] = true;
    for (std::size_t m = 0; m < members.size(); ++m) {
      left.take_meeting(boxes[members[m]], [&](std::uint32_t j) {
        if (!is_in_one[j]) members.push_back(j);
        is_in_one[j] = true;
      });
    }
    std::sort(members.begin(), members.end());
    Cluster& c = ordered.emplace_back(Cluster{{}, open[first]});
    for (const std::uint32_t m : members) {
      c.box.extend(shells[open[m]].box);
      if (shells[open[m]].box.diagonal() > shells[c.largest].box.diagonal()) c.largest = open[m];
    }
  }
  // The largest first: in a soup of thousands of open pieces it answers for nearly all.
  std::stable_sort(ordered.begin(), ordered.end(), [](const Cluster& x, const Cluster& y) {
    return x.box.diagonal() > y.box.diagonal();
  });
  for (Shell& shell : shells) {
    if (!shell.closed) continue;
    for (const Cluster& cluster : ordered) {
      if (cluster.box.diagonal() < shell.box.diagonal()) break;
      if (!cluster.box.contains(shell.box)) continue;
      shell.waits_for_shell = cluster.largest;
      break;
    }
  }
}

Point corner_of(const Welded& mesh, TriangleId t, std::size_t corner) {
  return mesh.point(mesh.triangle(t)[corner]);
}

void nest(const Welded& mesh, const TrianglesByShell& triangles, std::vector<Shell>& shells) {
  std::vector<Containment> pairs = candidates(shells);
  std::sort(pairs.begin(), pairs.end(), [](const Containment& a, const Containment& b) {
    return a.outer != b.outer ? a.outer < b.outer : a.inner < b.inner;
  });
  // A vertex of the inner shell may lie on the outer one; then another is tried, a few times.
  constexpr std::size_t kTries = 16;
  for (std::size_t begin = 0; begin < pairs.size();) {
    std::size_t end = begin;
    while (end < pairs.size() && pairs[end].outer == pairs[begin].outer) ++end;
    const std::size_t outer = pairs[begin].outer;
    std::vector<std::size_t> open(end - begin);
    std::iota(open.begin(), open.end(), begin);
    for (std::size_t attempt = 0; attempt < kTries && !open.empty(); ++attempt) {
      std::vector<Point> queries;
      for (const std::size_t p : open) {
        const auto inner = triangles[pairs[p].inner];
        queries.push_back(corner_of(mesh, inner[inner.size() * attempt / kTries], attempt % 3));
      }
      const auto winding = winding_numbers(mesh, triangles[outer], queries);
      std::vector<std::size_t> still_open;
      for (std::size_t i = 0; i < open.size(); ++i) {
        Shell& inner = shells[pairs[open[i]].inner];
        if (!winding[i]) {
          still_open.push_back(open[i]);
        } else if (*winding[i] != 0) {
          ++inner.depth;
          if (!inner.inside_of || std::fabs(shells[outer].mass.volume) <
                                      std::fabs(shells[*inner.inside_of].mass.volume)) {
            inner.inside_of = outer;
          }
        }
      }
      open = std::move(still_open);
    }
    for (const std::size_t p : open) shells[pairs[p].inner].nesting_decided = false;
    begin = end;
  }
}

}  // namespace

TrianglesByShell::TrianglesByShell(const Components& components) : first_(components.count + 1) {
  for (const ShellId s : components.shell_of) {
    if (s.value != kNoIndex) ++first_[s.value + 1];
  }
  std::partial_sum(first_.begin(), first_.end(), first_.begin());
  triangles_.resize(first_.back());
  std::vector<std::size_t> cursor(first_.begin(), first_.end() - 1);
  for (std::size_t t = 0; t < components.shell_of.size(); ++t) {
    const ShellId s = components.shell_of[t];
    if (s.value != kNoIndex) triangles_[cursor[s.value]++] = {static_cast<std::uint32_t>(t)};
  }
}

std::vector<Shell> find_shells(const Welded& mesh, const EdgeTable& edges,
                               const Components& components, const VertexStars& stars,
                               std::span<const PinchedVertex> pinched) {
  const TrianglesByShell triangles(components);
  std::vector<Tally> tallies(components.count);
  if (components.count > 0) {
    tally_edges(edges, components, tallies);
    tally_vertices(stars, components, tallies);
  }

  std::vector<Shell> shells(components.count);
  const auto measure = [&](std::size_t s) {
    const auto own = triangles[s];
    const Tally& t = tallies[s];
    Shell& shell = shells[s];
    shell.triangles = own.size();
    shell.first_triangle = own.front();
    shell.box = box_of(mesh, own);
    shell.closed = t.unbalanced == 0;
    shell.manifold = t.nonmanifold == 0;
    shell.oriented = t.conflicts == 0;
    shell.euler = static_cast<long long>(t.vertices) - static_cast<long long>(t.edges) +
                  static_cast<long long>(own.size());
    const MassSums sums = mass_sums(mesh, own, shell.box);
    shell.mass = sums.properties();
    if (shell.closed) shell.volume_sign = volume_sign(mesh, own, sums);
  };
  parallel_ranges(shells.size(), 64, [&](Range r) {
    for (std::size_t s = r.begin; s < r.end; ++s) measure(s);
  });
  mark_pinched(stars, components, pinched, shells);
  for (Shell& shell : shells) {
    if (shell.closed && shell.manifold && shell.oriented) shell.genus = (2 - shell.euler) / 2;
  }
  nest(mesh, triangles, shells);
  mark_waiting(shells);
  return shells;
}

}  // namespace aguja
