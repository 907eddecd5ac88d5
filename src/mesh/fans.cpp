#include "aguja/mesh/fans.h"

#include <algorithm>
#include <numeric>

#include "aguja/base/parallel.h"
#include "mesh/owned_triangles.h"

namespace aguja {
namespace {

// A triangle at a vertex joins its two other vertices: fans are the connected pieces of that graph.
struct FanLink {
  std::uint32_t a;
  std::uint32_t b;
};

FanLink link_of(const Triangle& t, VertexId v) {
  if (t[0] == v) return {t[1].value, t[2].value};
  if (t[1] == v) return {t[2].value, t[0].value};
  return {t[0].value, t[1].value};
}

class FanCounter {
 public:
  std::size_t count(std::span<const Triangle> triangles, std::span<const TriangleId> star,
                    VertexId v) {
    links_.clear();
    for (const TriangleId t : star) links_.push_back(link_of(triangles[t.value], v));
    return links_.size() <= 24 ? count_few() : count_many();
  }

 private:
  // Follow the chain of links from the first; done if it takes up all of them, as it nearly always
  // does.
  std::size_t count_few() {
    std::size_t fans = 0;
    std::size_t done = 0;
    while (done < links_.size()) {
      ++fans;
      std::size_t reached = done + 1;
      for (std::size_t i = done; i < reached; ++i) {
        for (std::size_t j = reached; j < links_.size(); ++j) {
          if (share(links_[i], links_[j])) std::swap(links_[j], links_[reached++]);
        }
      }
      done = reached;
    }
    return fans;
  }

  std::size_t count_many() {
    nodes_.clear();
    for (const FanLink& link : links_) nodes_.insert(nodes_.end(), {link.a, link.b});
    std::sort(nodes_.begin(), nodes_.end());
    nodes_.erase(std::unique(nodes_.begin(), nodes_.end()), nodes_.end());
    parent_.resize(nodes_.size());
    std::iota(parent_.begin(), parent_.end(), std::size_t{0});
    std::size_t fans = nodes_.size();
    for (const FanLink& link : links_) {
      const std::size_t a = root(node(link.a));
      const std::size_t b = root(node(link.b));
      if (a == b) continue;
      parent_[std::max(a, b)] = std::min(a, b);
      --fans;
    }
    return fans;
  }

  static bool share(const FanLink& l, const FanLink& m) {
    return l.a == m.a || l.a == m.b || l.b == m.a || l.b == m.b;
  }
  std::size_t node(std::uint32_t v) const {
    return static_cast<std::size_t>(std::lower_bound(nodes_.begin(), nodes_.end(), v) -
                                    nodes_.begin());
  }
  std::size_t root(std::size_t i) {
    while (parent_[i] != i) i = parent_[i] = parent_[parent_[i]];
    return i;
  }

  std::vector<FanLink> links_;
  std::vector<std::uint32_t> nodes_;
  std::vector<std::size_t> parent_;
};

}  // namespace

VertexStars::VertexStars(std::span<const Triangle> triangles, std::size_t vertex_count)
    : end_(vertex_count) {
  const OwnedTriangles owned(triangles, vertex_count);  // as in the edge table
  const std::size_t pieces = owned.size();
  std::vector<std::size_t> before(pieces + 1, 0);
  const auto for_each_corner = [&](std::size_t piece, const auto& visit) {
    const Range own = piece_of(vertex_count, pieces, piece);
    owned.for_each(piece, [&](std::size_t t) {
      for (std::size_t c = 0; c < 3; ++c) {
        const std::size_t at = triangles[t][c].value - own.begin;
        if (at < own.size()) visit(at, t);
      }
    });
  };
  parallel_tasks(pieces, [&](std::size_t piece) {
    const Range own = piece_of(vertex_count, pieces, piece);
    std::uint32_t* const count = end_.data() + own.begin;
    std::fill(count, count + own.size(), 0u);
    std::size_t total = 0;
    for_each_corner(piece, [&](std::size_t at, std::size_t) { ++count[at], ++total; });
    before[piece + 1] = total;
  });
  for (std::size_t p = 0; p < pieces; ++p) before[p + 1] += before[p];
  triangles_.resize(before[pieces]);
  parallel_tasks(pieces, [&](std::size_t piece) {
    const Range own = piece_of(vertex_count, pieces, piece);
    std::uint32_t* const cursor = end_.data() + own.begin;
    std::size_t next = before[piece];
    for (std::size_t v = 0; v < own.size(); ++v) {
      const std::uint32_t count = cursor[v];
      cursor[v] = static_cast<std::uint32_t>(next);
      next += count;
    }
    for_each_corner(piece, [&](std::size_t at, std::size_t t) {
      triangles_[cursor[at]++] = {static_cast<std::uint32_t>(t)};
    });
  });
}

VertexStars::VertexStars(const VertexStars& before, std::span<const Triangle> triangles,
                         std::size_t first_new, std::size_t vertex_count)
    : end_(vertex_count) {
  std::vector<std::pair<VertexId, TriangleId>> added;
  for (auto t = static_cast<std::uint32_t>(first_new); t < triangles.size(); ++t) {
    if (has_equal_corners(triangles[t])) continue;
    for (const VertexId v : triangles[t].corner) added.emplace_back(v, TriangleId{t});
  }
  std::sort(added.begin(), added.end());
  triangles_.resize(before.triangles_.size() + added.size());
  const auto end_before = [&](std::size_t v) -> std::uint32_t {
    return before.end_.empty() ? 0 : before.end_[std::min(v, before.end_.size() - 1)];
  };
  const auto fill_ends = [&] {
    std::size_t v = 0;
    std::uint32_t shift = 0;
    for (const auto& [vertex, triangle] : added) {
      for (; v < vertex.value; ++v) end_[v] = end_before(v) + shift;
      ++shift;
    }
    for (; v < vertex_count; ++v) end_[v] = end_before(v) + shift;
  };
  const auto fill_triangles = [&] {
    auto out = triangles_.begin();
    std::ptrdiff_t from = 0;
    for (const auto& [vertex, triangle] : added) {
      const auto end = static_cast<std::ptrdiff_t>(end_before(vertex.value));
      out = std::copy(before.triangles_.begin() + from, before.triangles_.begin() + end, out);
      *out++ = triangle;
      from = end;
    }
    std::copy(before.triangles_.begin() + from, before.triangles_.end(), out);
  };
  parallel_tasks(2, [&](std::size_t i) { i == 0 ? fill_ends() : fill_triangles(); });
}

std::vector<PinchedVertex> find_pinched_vertices(std::span<const Triangle> triangles,
                                                 const VertexStars& stars) {
  return parallel_collect<PinchedVertex>(
      stars.vertex_count(), std::size_t{1} << 13, [&](Range r, std::vector<PinchedVertex>& out) {
        FanCounter counter;
        for (std::size_t i = r.begin; i < r.end; ++i) {
          const VertexId v{static_cast<std::uint32_t>(i)};
          const std::size_t fans = counter.count(triangles, stars.at(v), v);
          if (fans > 1) out.push_back({v, fans});
        }
      });
}

}  // namespace aguja
