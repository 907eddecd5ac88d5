#include "aguja/mesh/edge_table.h"

#include <algorithm>
#include <atomic>
#include <functional>
#include <tuple>
#include <vector>

#include "aguja/base/error.h"
#include "aguja/base/parallel.h"
#include "mesh/owned_triangles.h"

namespace aguja {
namespace {

// One side of a triangle, filed under its low vertex: high vertex << 32 | use.
using Side = std::uint64_t;

std::uint32_t high_of(Side side) { return static_cast<std::uint32_t>(side >> 32); }

template <class Visit>
void for_each_side(std::span<const Triangle> triangles, const OwnedTriangles& owned,
                   std::size_t owner, const Visit& visit) {
  owned.for_each(owner, [&](std::size_t t) {
    const Triangle& triangle = triangles[t];
    for (unsigned c = 0; c < 3; ++c) {
      const std::uint32_t from = triangle[c].value;
      const std::uint32_t to = triangle[c == 2 ? 0 : c + 1].value;
      visit(t, c, from, to);
    }
  });
}

void sort_sides(Side* begin, Side* end) {
  if (end - begin > 24) return std::sort(begin, end);
  for (Side* i = begin + 1; i < end; ++i) {
    const Side side = *i;
    Side* j = i;
    for (; j > begin && j[-1] > side; --j) *j = j[-1];
    *j = side;
  }
}

std::size_t count_runs(const Side* begin, const Side* end) {
  std::size_t runs = 0;
  for (const Side* s = begin; s < end; ++s) runs += s == begin || high_of(*s) != high_of(s[-1]);
  return runs;
}

void check_count(std::size_t triangles) {
  if (triangles <= kMostTriangles) return;
  throw ArgumentError("edge table: " + std::to_string(triangles) + " triangles are more than the " +
                      std::to_string(kMostTriangles) + " that it holds");
}

void check(std::span<const Triangle> triangles, std::size_t vertex_count) {
  std::atomic<bool> inside = true;
  parallel_ranges(triangles.size(), std::size_t{1} << 16, [&](Range r) {
    std::uint32_t largest = 0;
    for (std::size_t t = r.begin; t < r.end; ++t) {
      for (std::size_t c = 0; c < 3; ++c) largest = std::max(largest, triangles[t][c].value);
    }
    if (largest >= vertex_count) inside = false;
  });
  if (!inside) throw ArgumentError("edge table: a triangle names a vertex that does not exist");
}

}  // namespace

EdgeTable::EdgeTable(std::span<const Triangle> triangles, std::size_t vertex_count) {
  check_count(triangles.size());
  check(triangles, vertex_count);

  // Every thread owns a range of low vertices: nobody needs locks. Sorting each vertex's few sides
  // afterwards makes the result independent of how the ranges were cut.
  const OwnedTriangles owned(triangles, vertex_count);
  const std::size_t pieces = owned.size();
  std::vector<std::size_t> sides_before(pieces + 1, 0);
  std::vector<std::size_t> edges_before(pieces + 1, 0);
  Array<std::uint32_t> side_end(vertex_count);

  parallel_tasks(pieces, [&](std::size_t piece) {
    const Range own = piece_of(vertex_count, pieces, piece);
    const std::size_t width = own.size();
    std::uint32_t* const count = side_end.data() + own.begin;
    std::fill(count, count + width, 0u);
    for_each_side(triangles, owned, piece,
                  [&](std::size_t, unsigned, std::uint32_t from, std::uint32_t to) {
                    const std::size_t at = std::min(from, to) - own.begin;
                    if (at < width) ++count[at];
                  });
    std::size_t total = 0;
    for (std::size_t v = 0; v < width; ++v) total += count[v];
    sides_before[piece + 1] = total;
  });
  for (std::size_t p = 0; p < pieces; ++p) sides_before[p + 1] += sides_before[p];

  Array<Side> sides(sides_before[pieces]);
  parallel_tasks(pieces, [&](std::size_t piece) {
    const Range own = piece_of(vertex_count, pieces, piece);
    const std::size_t width = own.size();
    std::uint32_t* const cursor = side_end.data() + own.begin;
    std::size_t next = sides_before[piece];
    for (std::size_t v = 0; v < width; ++v) {
      const std::uint32_t count = cursor[v];
      cursor[v] = static_cast<std::uint32_t>(next);
      next += count;
    }
    for_each_side(triangles, owned, piece,
                  [&](std::size_t t, unsigned c, std::uint32_t from, std::uint32_t to) {
                    const std::size_t at = std::min(from, to) - own.begin;
                    if (at >= width) return;
                    const auto half_edge = static_cast<std::uint32_t>(3 * t + c);
                    sides[cursor[at]++] =
                        Side{std::max(from, to)} << 32 | (half_edge << 1 | (from < to ? 0u : 1u));
                  });
    std::size_t runs = 0;
    std::size_t begin = sides_before[piece];
    for (std::size_t v = 0; v < width; ++v) {
      sort_sides(sides.data() + begin, sides.data() + cursor[v]);
      runs += count_runs(sides.data() + begin, sides.data() + cursor[v]);
      begin = cursor[v];
    }
    edges_before[piece + 1] = runs;
  });
  for (std::size_t p = 0; p < pieces; ++p) edges_before[p + 1] += edges_before[p];

  edges_.resize(edges_before[pieces]);
  first_use_.resize(edges_.size() + 1);
  first_edge_.resize(vertex_count + 1);
  uses_.resize(sides.size());
  first_use_[edges_.size()] = static_cast<std::uint32_t>(sides.size());
  first_edge_[vertex_count] = static_cast<std::uint32_t>(edges_.size());
  parallel_tasks(pieces, [&](std::size_t piece) {
    const Range own = piece_of(vertex_count, pieces, piece);
    std::size_t edge = edges_before[piece];
    std::size_t at = sides_before[piece];
    for (std::size_t v = own.begin; v < own.end; ++v) {
      first_edge_[v] = static_cast<std::uint32_t>(edge);
      const std::size_t begin = at;
      for (; at < side_end[v]; ++at) {
        if (at == begin || high_of(sides[at]) != high_of(sides[at - 1])) {
          edges_[edge] = {{static_cast<std::uint32_t>(v)}, {high_of(sides[at])}};
          first_use_[edge++] = static_cast<std::uint32_t>(at);
        }
        const auto bits = static_cast<std::uint32_t>(sides[at]);
        uses_[at] = EdgeUse({(bits >> 1) / 3}, (bits >> 1) % 3, (bits & 1u) == 0);
      }
    }
  });
}

namespace {

struct AddedUse {
  Edge edge;
  EdgeUse use;
  [[nodiscard]] auto key() const { return std::tuple(edge.low, edge.high, use); }
};

std::vector<AddedUse> uses_from(std::span<const Triangle> triangles, std::size_t first_new) {
  std::vector<AddedUse> uses;
  for (auto t = static_cast<std::uint32_t>(first_new); t < triangles.size(); ++t) {
    const Triangle& own = triangles[t];
    if (has_equal_corners(own)) continue;
    for (unsigned c = 0; c < 3; ++c) {
      const VertexId from = own[c], to = own[(c + 1) % 3];
      uses.push_back({{std::min(from, to), std::max(from, to)}, EdgeUse({t}, c, from < to)});
    }
  }
  std::sort(uses.begin(), uses.end(),
            [](const AddedUse& a, const AddedUse& b) { return a.key() < b.key(); });
  return uses;
}

// New uses of one edge, which lies before, or is, one that was there.
struct AddedEdge {
  std::size_t before;
  bool is_there;
  std::span<const AddedUse> uses;
};

}  // namespace

EdgeTable::EdgeTable(const EdgeTable& before, std::span<const Triangle> triangles,
                     std::size_t first_new, std::size_t vertex_count) {
  check_count(triangles.size());
  check(triangles.subspan(first_new), vertex_count);
  const std::size_t old_vertices = before.first_edge_.size() - 1;
  const std::vector<AddedUse> added = uses_from(triangles, first_new);
  std::vector<AddedEdge> list;
  std::size_t new_edges = 0;
  for (auto at = added.begin(); at != added.end();) {
    const Edge edge = at->edge;
    const auto end =
        std::find_if(at, added.end(), [&](const AddedUse& u) { return !(u.edge == edge); });
    AddedEdge own{before.size(), false, {at, end}};
    if (edge.low.value < old_vertices) {
      const auto first = before.edges_.begin() + before.first_edge_[edge.low.value];
      const auto last = before.edges_.begin() + before.first_edge_[edge.low.value + 1];
      const auto there = std::lower_bound(first, last, edge.high,
                                          [](const Edge& e, VertexId v) { return e.high < v; });
      own.before = static_cast<std::size_t>(there - before.edges_.begin());
      own.is_there = there != last && there->high == edge.high;
    }
    new_edges += static_cast<std::size_t>(!own.is_there);
    list.push_back(own);
    at = end;
  }
  edges_.resize(before.size() + new_edges);
  first_use_.resize(edges_.size() + 1);
  first_edge_.resize(vertex_count + 1);
  uses_.resize(before.uses_.size() + added.size());
  // Between places where something comes in, all is as it was, moved on.
  const auto fill_edges = [&] {
    auto out = edges_.begin();
    std::size_t from = 0;
    for (const AddedEdge& a : list) {
      if (a.is_there) continue;
      out = std::copy(before.edges_.begin() + static_cast<std::ptrdiff_t>(from),
                      before.edges_.begin() + static_cast<std::ptrdiff_t>(a.before), out);
      *out++ = a.uses[0].edge;
      from = a.before;
    }
    std::copy(before.edges_.begin() + static_cast<std::ptrdiff_t>(from), before.edges_.end(), out);
  };
  const auto fill_first_uses = [&] {
    std::size_t out = 0, from = 0;
    std::uint32_t shift = 0;
    const auto copy_to = [&](std::size_t end) {
      for (; from < end; ++from) first_use_[out++] = before.first_use_[from] + shift;
    };
    for (const AddedEdge& a : list) {
      copy_to(a.before + (a.is_there ? 1 : 0));
      if (!a.is_there) first_use_[out++] = before.first_use_[a.before] + shift;
      shift += static_cast<std::uint32_t>(a.uses.size());
    }
    copy_to(before.first_use_.size());
  };
  const auto fill_uses = [&] {
    auto out = uses_.begin();
    std::size_t from = 0;
    for (const AddedEdge& a : list) {
      // New triangles have higher numbers than those that were there.
      const std::size_t end = before.first_use_[a.before + (a.is_there ? 1 : 0)];
      out = std::copy(before.uses_.begin() + static_cast<std::ptrdiff_t>(from),
                      before.uses_.begin() + static_cast<std::ptrdiff_t>(end), out);
      for (const AddedUse& u : a.uses) *out++ = u.use;
      from = end;
    }
    std::copy(before.uses_.begin() + static_cast<std::ptrdiff_t>(from), before.uses_.end(), out);
  };
  const auto fill_first_edges = [&] {
    std::size_t v = 0;
    std::uint32_t shift = 0;
    const auto copy_to = [&](std::size_t end) {
      for (; v < end; ++v) first_edge_[v] = before.first_edge_[std::min(v, old_vertices)] + shift;
    };
    for (const AddedEdge& a : list) {
      if (a.is_there) continue;
      copy_to(a.uses[0].edge.low.value + std::size_t{1});
      ++shift;
    }
    copy_to(vertex_count + 1);
  };
  const std::function<void()> tasks[] = {fill_edges, fill_uses, fill_first_uses, fill_first_edges};
  parallel_tasks(std::size(tasks), [&](std::size_t i) { tasks[i](); });
}

std::optional<EdgeId> EdgeTable::find(VertexId a, VertexId b) const {
  const VertexId low = std::min(a, b);
  const VertexId high = std::max(a, b);
  if (low.value + 1ULL >= first_edge_.size()) return std::nullopt;
  const auto begin = edges_.begin() + first_edge_[low.value];
  const auto end = edges_.begin() + first_edge_[low.value + 1];
  const auto at =
      std::lower_bound(begin, end, high, [](const Edge& e, VertexId v) { return e.high < v; });
  if (at == end || at->high != high) return std::nullopt;
  return EdgeId{static_cast<std::uint32_t>(at - edges_.begin())};
}

bool EdgeTable::is_balanced(EdgeId e) const {
  std::ptrdiff_t balance = 0;
  for (const EdgeUse use : uses(e)) balance += use.forward() ? 1 : -1;
  return balance == 0;
}

EdgeCounts count_edges(const EdgeTable& table) {
  EdgeCounts all;
  all.edges = table.size();
  for (const EdgeCounts& some : parallel_map(table.size(), std::size_t{1} << 15, [&](Range r) {
         EdgeCounts c;
         for (std::size_t i = r.begin; i < r.end; ++i) {
           const EdgeId e{static_cast<std::uint32_t>(i)};
           c.naked += table.is_naked(e);
           c.nonmanifold += table.is_nonmanifold(e);
           c.winding_conflicts += table.is_winding_conflict(e);
           c.unbalanced += !table.is_balanced(e);
         }
         return c;
       })) {
    all.naked += some.naked;
    all.nonmanifold += some.nonmanifold;
    all.winding_conflicts += some.winding_conflicts;
    all.unbalanced += some.unbalanced;
  }
  return all;
}

}  // namespace aguja
