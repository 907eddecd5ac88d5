#include "aguja/solid/anatomy.h"

#include <optional>
#include <utility>

#include "base/parallel_algorithms.h"

namespace aguja {
namespace {

class Stages {
 public:
  Stages(StageTimes* times, Progress* progress) : times_(times), progress_(progress) {}

  template <class Work>
  decltype(auto) run(std::string_view stage, const Work& work) {
    advance(progress_, stage, 0.0);
    return timed(times_, stage, work);
  }

 private:
  StageTimes* times_;
  Progress* progress_;
};

std::shared_ptr<const EdgeTable> edges_of(const Welded& mesh, const KnownMeshPtr& known) {
  if (known) return {known, &known->edges()};
  return std::make_shared<const EdgeTable>(mesh.triangles(), mesh.points().size());
}

struct Fans {
  std::vector<PinchedVertex> pinched;
  std::vector<Shell> shells;
};

// The stars are needed twice and large: unless somebody keeps them, they live only in here.
Fans examine_fans(const Welded& mesh, const EdgeTable& edges, const Components& components,
                  const KnownMeshPtr& known, Stages stages) {
  Fans fans;
  std::optional<VertexStars> own;
  const VertexStars& stars = stages.run("fans", [&]() -> const VertexStars& {
    if (known) return known->stars();
    return own.emplace(mesh.triangles(), mesh.points().size());
  });
  fans.pinched = stages.run("fans", [&] { return find_pinched_vertices(mesh.triangles(), stars); });
  fans.shells = stages.run(
      "shells", [&] { return find_shells(mesh, edges, components, stars, fans.pinched); });
  return fans;
}

}  // namespace

Counts& Counts::operator+=(const Counts& other) {
  triangles += other.triangles;
  vertices += other.vertices;
  edges += other.edges;
  naked_edges += other.naked_edges;
  nonmanifold_edges += other.nonmanifold_edges;
  nonmanifold_vertices += other.nonmanifold_vertices;
  winding_conflicts += other.winding_conflicts;
  zero_area += other.zero_area;
  duplicates += other.duplicates;
  components += other.components;
  rims += other.rims;
  crossing_pairs += other.crossing_pairs;
  overlap_pairs += other.overlap_pairs;
  touch_pairs += other.touch_pairs;
  more_pairs |= other.more_pairs;
  inverted_shells += other.inverted_shells;
  internal_triangles += other.internal_triangles;
  return *this;
}

Anatomy::Anatomy(const Mesh& m, StageTimes* times, Progress* progress,
                 const std::function<void(const Anatomy&)>& meanwhile, const KnownMeshPtr& known)
    : mesh(m),
      welded(Stages(times, progress).run("weld", [&] { return Welded(m); })),
      kept_edges(Stages(times, progress).run("edges", [&] { return edges_of(welded, known); })),
      edges(*kept_edges),
      edge_counts(Stages(times, progress).run("edges", [&] { return count_edges(edges); })),
      components(
          Stages(times, progress)
              .run("components", [&] { return find_components(welded.triangles(), edges); })),
      rims(Stages(times, progress).run("rims", [&] { return Rims(edges); })),
      zero_area(Stages(times, progress).run("zero-area", [&] { return find_zero_area(welded); })),
      duplicates(Stages(times, progress).run("duplicates", [&] {
        return find_duplicates(welded.triangles(), edges);
      })) {
  Fans fans = examine_fans(welded, edges, components, known, Stages(times, progress));
  pinched = std::move(fans.pinched);
  shells = std::move(fans.shells);
  const auto find = [&] {
    SomeCrossings found = Stages(times, progress).run("crossings", [&] {
      return known ? known->crossings(progress)
                   : find_crossings_up_to(welded, kMostCrossings, progress);
    });
    crossings = std::move(found.pairs);
    crossings_are_all = found.are_all;
  };
  if (meanwhile) {
    parallel_invoke(find, [&] { meanwhile(*this); });
  } else {
    find();
  }
}

Counts Anatomy::counts() const {
  Counts c;
  c.triangles = mesh.triangles.size();
  c.vertices = welded.points().size();
  c.edges = edge_counts.edges;
  c.naked_edges = edge_counts.naked;
  c.nonmanifold_edges = edge_counts.nonmanifold;
  c.nonmanifold_vertices = pinched.size();
  c.winding_conflicts = edge_counts.winding_conflicts;
  c.zero_area = zero_area.size();
  c.duplicates = count_surplus(duplicates);
  c.components = components.count;
  c.rims = rims.size();
  const ContactCounts contacts = count_contacts(crossings);
  c.crossing_pairs = contacts.crossing;
  c.overlap_pairs = contacts.overlap;
  c.touch_pairs = contacts.touch;
  c.more_pairs = !crossings_are_all;
  return c;
}

}  // namespace aguja
