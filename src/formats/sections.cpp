#include "formats/sections.h"

#include <algorithm>
#include <utility>

namespace aguja::detail {
namespace {

struct Extent {
  std::size_t triangles_end;
  std::size_t wires_end;
  std::size_t points_end;
};

Extent end_of(const Mesh& mesh, const std::vector<Section>& sections, std::size_t i) {
  if (i + 1 == sections.size()) {
    return {mesh.triangles.size(), mesh.wires.size(), mesh.points.size()};
  }
  const Section& next = sections[i + 1];
  return {next.first_triangle, next.first_wire, next.first_point};
}

bool is_empty(const Mesh& mesh) {
  return mesh.points.empty() && mesh.triangles.empty() && mesh.wires.empty();
}

// Patches that nothing belongs to say nothing; a single nameless one is no division at all.
void tidy_patches(PartDraft& part) {
  Mesh& mesh = part.mesh;
  std::vector<std::uint32_t> renumbered(part.patch_names.size(), kNoIndex);
  std::vector<std::string> names;
  for (PatchId& p : mesh.patch_of) {
    if (renumbered[p.value] == kNoIndex) {
      renumbered[p.value] = static_cast<std::uint32_t>(names.size());
      names.push_back(part.patch_names[p.value]);
    }
    p = {renumbered[p.value]};
  }
  part.patch_names = std::move(names);
  if (part.patch_names.size() == 1 && part.patch_names[0].empty()) {
    part.patch_names.clear();
    mesh.patch_of.clear();
  }
}

// The whole mesh as the one part there is: nothing needs to move.
Part single_part(Mesh mesh, const std::vector<Section>& sections, PartNames names) {
  mesh.patch_of.resize(mesh.triangles.size());
  for (std::size_t i = 0; i < sections.size(); ++i) {
    std::fill(mesh.patch_of.begin() + sections[i].first_triangle,
              mesh.patch_of.begin() + end_of(mesh, sections, i).triangles_end,
              PatchId{sections[i].patch});
  }
  PartDraft part;
  part.name = std::move(names.name);
  part.mesh = std::move(mesh);
  part.patch_names = std::move(names.patches);
  tidy_patches(part);
  return part;
}

class Divider {
 public:
  Divider(const Mesh& mesh, const std::vector<Section>& sections)
      : mesh_(mesh),
        sections_(sections),
        local_(mesh.points.size(), kNoIndex),
        used_(used_points(mesh)) {}

  PartDraft part(PartNames names, const std::vector<std::size_t>& own_sections) {
    PartDraft part;
    part.name = std::move(names.name);
    part.patch_names = std::move(names.patches);
    std::vector<std::uint32_t> points;
    const auto take = [&](VertexId v) {
      if (local_[v.value] != kNoIndex) return;
      local_[v.value] = 0;
      points.push_back(v.value);
    };
    for (const std::size_t s : own_sections) {
      const Extent end = end_of(mesh_, sections_, s);
      for (std::size_t t = sections_[s].first_triangle; t < end.triangles_end; ++t) {
        for (const VertexId v : mesh_.triangles[t].corner) take(v);
      }
      for (std::size_t w = sections_[s].first_wire; w < end.wires_end; ++w) {
        for (const VertexId v : mesh_.wires[w]) take(v);
      }
      for (std::size_t p = sections_[s].first_point; p < end.points_end; ++p) {
        if (!used_[p]) take({static_cast<std::uint32_t>(p)});
      }
    }
    std::sort(points.begin(), points.end());
    for (std::size_t i = 0; i < points.size(); ++i) {
      local_[points[i]] = static_cast<std::uint32_t>(i);
      part.mesh.points.push_back(mesh_.points[points[i]]);
    }
    const auto mapped = [&](VertexId v) { return VertexId{local_[v.value]}; };
    for (const std::size_t s : own_sections) {
      const Extent end = end_of(mesh_, sections_, s);
      for (std::size_t t = sections_[s].first_triangle; t < end.triangles_end; ++t) {
        const Triangle& tri = mesh_.triangles[t];
        part.mesh.triangles.push_back({{mapped(tri[0]), mapped(tri[1]), mapped(tri[2])}});
        part.mesh.patch_of.push_back({sections_[s].patch});
      }
      for (std::size_t w = sections_[s].first_wire; w < end.wires_end; ++w) {
        part.mesh.wires.push_back({mapped(mesh_.wires[w][0]), mapped(mesh_.wires[w][1])});
      }
    }
    for (const std::uint32_t p : points) local_[p] = kNoIndex;
    tidy_patches(part);
    return part;
  }

 private:
  const Mesh& mesh_;
  const std::vector<Section>& sections_;
  std::vector<std::uint32_t> local_;  // by point: its number in the part being made
  std::vector<bool> used_;
};

}  // namespace

std::vector<Part> divide_into_parts(Mesh mesh, std::vector<Section> sections,
                                    std::vector<PartNames> names) {
  // Points may be defined before the first object begins: they do not make a part of their own.
  std::vector<bool> has_faces(names.size());
  for (std::size_t i = 0; i < sections.size(); ++i) {
    const Extent end = end_of(mesh, sections, i);
    if (end.triangles_end > sections[i].first_triangle || end.wires_end > sections[i].first_wire) {
      has_faces[sections[i].part] = true;
    }
  }
  if (std::count(has_faces.begin(), has_faces.end(), true) <= 1) {
    const auto found = std::find(has_faces.begin(), has_faces.end(), true);
    const auto which = found == has_faces.end()
                           ? std::size_t{0}
                           : static_cast<std::size_t>(found - has_faces.begin());
    for (Section& s : sections) {
      if (s.part != which) s.patch = 0;
    }
    std::vector<Part> parts;
    parts.push_back(single_part(std::move(mesh), sections, std::move(names[which])));
    return parts;
  }

  std::vector<std::vector<std::size_t>> sections_of(names.size());
  for (std::size_t i = 0; i < sections.size(); ++i) sections_of[sections[i].part].push_back(i);
  Divider divider(mesh, sections);
  std::vector<Part> parts;
  for (std::size_t p = 0; p < names.size(); ++p) {
    PartDraft part = divider.part(std::move(names[p]), sections_of[p]);
    if (!is_empty(part.mesh)) parts.emplace_back(std::move(part));
  }
  return parts;
}

}  // namespace aguja::detail
