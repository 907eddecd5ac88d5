#include "aguja/mesh/rims.h"

#include <algorithm>
#include "base/parallel_algorithms.h"

namespace aguja {
namespace {

// A naked edge, filed under one of its ends.
struct End {
  VertexId vertex;
  std::uint32_t edge;  // index into the naked edges
  friend auto operator<=>(const End&, const End&) = default;
};

class Tracer {
 public:
  Tracer(const EdgeTable& table, std::span<const EdgeId> naked) : table_(table), naked_(naked) {
    ends_.reserve(2 * naked.size());
    for (std::uint32_t i = 0; i < naked.size(); ++i) {
      const Edge& edge = table.edge(naked[i]);
      ends_.push_back({edge.low, i});
      ends_.push_back({edge.high, i});
    }
    parallel_sort(ends_.begin(), ends_.end());
    done_.assign(naked.size(), 0);
  }

  bool is_done(std::uint32_t edge) const { return done_[edge] != 0; }

  // Does the chain end at this vertex?
  bool branches(VertexId v) const { return at(v).size() != 2; }

  VertexId start_of(std::uint32_t i) const {
    const Edge& edge = table_.edge(naked_[i]);
    return table_.uses(naked_[i])[0].forward() ? edge.low : edge.high;
  }
  VertexId other_end(std::uint32_t i, VertexId v) const {
    const Edge& edge = table_.edge(naked_[i]);
    return edge.low == v ? edge.high : edge.low;
  }

  // Appends the chain that begins with edge `i` at `v`.
  void trace(std::uint32_t i, VertexId v, std::vector<EdgeId>& edges,
             std::vector<VertexId>& vertices) {
    vertices.push_back(v);
    while (true) {
      done_[i] = 1;
      edges.push_back(naked_[i]);
      v = other_end(i, v);
      vertices.push_back(v);
      const auto here = at(v);
      if (here.size() != 2) return;
      const std::uint32_t next = here[0].edge == i ? here[1].edge : here[0].edge;
      if (is_done(next)) return;
      i = next;
    }
  }

 private:
  // Three at most: more are no different.
  std::span<const End> at(VertexId v) const {
    const auto begin = std::lower_bound(ends_.begin(), ends_.end(), End{v, 0});
    auto end = begin;
    while (end != ends_.end() && end->vertex == v && end - begin < 3) ++end;
    return {begin, end};
  }

  const EdgeTable& table_;
  std::span<const EdgeId> naked_;
  std::vector<End> ends_;
  std::vector<unsigned char> done_;
};

}  // namespace

Rims::Rims(const EdgeTable& table) {
  const std::vector<EdgeId> naked =
      select_edges(table, [&](EdgeId e) { return table.is_naked(e); });
  Tracer tracer(table, naked);
  const auto add = [&](std::uint32_t edge, VertexId start) {
    tracer.trace(edge, start, edges_, vertices_);
    first_edge_.push_back(edges_.size());
  };
  // Chains with ends first, each from the end at which it runs the right way if there is one.
  for (std::uint32_t i = 0; i < naked.size(); ++i) {
    const VertexId start = tracer.start_of(i);
    if (!tracer.is_done(i) && tracer.branches(start)) add(i, start);
  }
  for (std::uint32_t i = 0; i < naked.size(); ++i) {
    const VertexId end = tracer.other_end(i, tracer.start_of(i));
    if (!tracer.is_done(i) && tracer.branches(end)) add(i, end);
  }
  for (std::uint32_t i = 0; i < naked.size(); ++i) {
    if (!tracer.is_done(i)) add(i, tracer.start_of(i));
  }
}

double length(const Rim& rim, std::span<const Point> points) {
  double sum = 0;
  for (std::size_t i = 1; i < rim.vertices.size(); ++i) {
    sum += (points[rim.vertices[i].value] - points[rim.vertices[i - 1].value]).stableNorm();
  }
  return sum;
}

Box box_of(const Rim& rim, std::span<const Point> points) {
  Box box;
  for (const VertexId v : rim.vertices) box.extend(points[v.value]);
  return box;
}

Point center_of(const Rim& rim, std::span<const Point> points) {
  Vector sum = Vector::Zero();
  double total = 0;
  const Point& origin = points[rim.vertices[0].value];
  for (std::size_t i = 1; i < rim.vertices.size(); ++i) {
    const Point& a = points[rim.vertices[i - 1].value];
    const Point& b = points[rim.vertices[i].value];
    const double step = (b - a).norm();
    sum += step * (0.5 * ((a - origin) + (b - origin)));
    total += step;
  }
  return total > 0 ? Point(origin + sum / total) : origin;
}

Point middle(const Rim& rim, std::span<const Point> points) {
  const double half = 0.5 * length(rim, points);
  double walked = 0;
  for (std::size_t i = 1; i < rim.vertices.size(); ++i) {
    const Point& a = points[rim.vertices[i - 1].value];
    const Point& b = points[rim.vertices[i].value];
    const double step = (b - a).stableNorm();
    if (walked + step >= half && step > 0) return a + (b - a) * ((half - walked) / step);
    walked += step;
  }
  return points[rim.vertices.front().value];
}

}  // namespace aguja
