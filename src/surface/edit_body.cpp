#include "aguja/surface/edit_body.h"

#include <algorithm>
#include <map>

#include "aguja/base/error.h"
#include "base/numbers.h"

namespace aguja {
namespace {

void check(const Body& body, const FaceEdit& edit) {
  const auto check_faces = [&](const std::vector<std::uint32_t>& faces) {
    for (std::size_t i = 0; i < faces.size(); ++i) {
      const bool rises = i == 0 || faces[i - 1] < faces[i];
      if (!rises || faces[i] >= body.faces.size() || !body.faces[faces[i]].is_used) {
        throw ArgumentError("edit_faces: faces must be there, and be named in rising order");
      }
    }
  };
  check_faces(edit.dropped);
  check_faces(edit.turned);
  const std::size_t vertices = body.vertices.size() + edit.new_vertices.size(),
                    edges = body.edges.size() + edit.new_edges.size();
  for (const BodyEdge& e : edit.new_edges) {
    if (!e.curve || std::max(e.start, e.end) >= vertices) {
      throw ArgumentError("edit_faces: a new edge without a curve, or without its vertices");
    }
  }
  const auto check_loops = [&](const std::vector<FaceLoop>& loops) {
    for (const FaceLoop& loop : loops) {
      for (const EdgeUseOfFace& use : loop.edges) {
        if (use.edge >= edges) throw ArgumentError("edit_faces: a loop without its edges");
      }
    }
  };
  std::vector<std::uint32_t> looped;
  for (const OtherLoops& l : edit.looped) {
    looped.push_back(l.face);
    check_loops(l.loops);
  }
  check_faces(looped);
  std::vector<std::uint32_t> divided;
  for (const OtherFacets& d : edit.divided) divided.push_back(d.face);
  check_faces(divided);
  for (const NewFace& f : edit.added) {
    if (!f.face.surface) throw ArgumentError("edit_faces: a new face without a surface");
    check_loops(f.face.loops);
  }
}

constexpr std::uint32_t kNoShellYet = 0xffffffffu;

void put_in(Body& body, const NewFace& added, std::vector<std::uint32_t>& shell_of_edge) {
  std::uint32_t shell = kNoShellYet;
  for (const FaceLoop& loop : added.face.loops) {
    for (const EdgeUseOfFace& use : loop.edges) shell = std::min(shell, shell_of_edge[use.edge]);
  }
  if (shell == kNoShellYet) {
    shell = static_cast<std::uint32_t>(body.shells.size());
    body.shells.emplace_back();
  }
  for (const FaceLoop& loop : added.face.loops) {
    for (const EdgeUseOfFace& use : loop.edges) {
      shell_of_edge[use.edge] = std::min(shell, shell_of_edge[use.edge]);
    }
  }
  body.shells[shell].faces.push_back({static_cast<std::uint32_t>(body.faces.size()), true});
  body.faces.push_back(added.face);
}

// `change.body` is as it was before.
void apply(const Body& before, const FaceEdit& edit, BodyChange& change) {
  check(before, edit);
  Body& body = change.body;
  for (const std::uint32_t f : edit.dropped) {
    body.faces[f].loops.clear();
    body.faces[f].is_used = false;
    change.maps.faces.set(f, {});
  }
  for (BodyShell& shell : body.shells) {
    std::erase_if(shell.faces, [&](const BodyShell::Use& use) {
      return std::binary_search(edit.dropped.begin(), edit.dropped.end(), use.face);
    });
    for (BodyShell::Use& use : shell.faces) {
      if (std::binary_search(edit.turned.begin(), edit.turned.end(), use.face)) {
        use.forward = !use.forward;
      }
    }
  }
  for (const OtherLoops& l : edit.looped) {
    Face& face = body.faces[l.face];
    face.loops = l.loops;
    face.loops_directed = true;
    // Loops are as it faces: seen against its normal if nothing turns it.
    for (BodyShell& shell : body.shells) {
      for (BodyShell::Use& use : shell.faces) {
        if (use.face != l.face || use.forward) continue;
        use.forward = true;
        face.same_sense = !face.same_sense;
      }
    }
    if (l.surface) {
      face.surface = l.surface;
      face.same_sense = l.same_sense;
    }
  }
  body.vertices.insert(body.vertices.end(), edit.new_vertices.begin(), edit.new_vertices.end());
  body.edges.insert(body.edges.end(), edit.new_edges.begin(), edit.new_edges.end());
  std::vector<std::uint32_t> shell_of_edge(body.edges.size(), kNoShellYet);
  for (std::uint32_t s = 0; s < body.shells.size(); ++s) {
    for (const BodyShell::Use& use : body.shells[s].faces) {
      for (const FaceLoop& loop : body.faces[use.face].loops) {
        for (const EdgeUseOfFace& e : loop.edges) {
          shell_of_edge[e.edge] = std::min(s, shell_of_edge[e.edge]);
        }
      }
    }
  }
  for (const NewFace& added : edit.added) put_in(body, added, shell_of_edge);
  note_unused(before, change);
}

}  // namespace

BodyChange edit_faces(const Body& body, const FaceEdit& edit) {
  BodyChange change;
  change.body = body;
  apply(body, edit, change);
  return change;
}

Body body_of_face(const Body& body, std::uint32_t face) {
  Body own;
  Face copy = body.faces.at(face);
  std::map<std::uint32_t, std::uint32_t> edges, vertices;
  const auto vertex = [&](std::uint32_t v) {
    const auto [at, is_new] =
        vertices.try_emplace(v, static_cast<std::uint32_t>(own.vertices.size()));
    if (is_new) own.vertices.push_back(body.vertices[v]);
    return at->second;
  };
  for (FaceLoop& loop : copy.loops) {
    for (EdgeUseOfFace& use : loop.edges) {
      const auto [at, is_new] =
          edges.try_emplace(use.edge, static_cast<std::uint32_t>(own.edges.size()));
      if (is_new) {
        BodyEdge edge = body.edges[use.edge];
        edge.start = vertex(edge.start);
        edge.end = vertex(edge.end);
        own.edges.push_back(std::move(edge));
      }
      use.edge = at->second;
    }
    if (loop.vertex) loop.vertex = vertex(*loop.vertex);
  }
  own.faces.push_back(std::move(copy));
  own.shells.push_back({{{0, true}}, false, false, 0});
  for (const BodyShell& shell : body.shells) {
    for (const BodyShell::Use& use : shell.faces) {
      if (use.face == face) own.shells[0].faces[0].forward = use.forward;
    }
  }
  return own;
}

PreparedBody edited(const PreparedBodyPtr& before, const FaceEdit& edit) {
  PreparedBody after = *before;
  BodyChange change;
  change.body = std::move(after.body);
  apply(before->body, edit, change);
  after.before = before;
  after.body = std::move(change.body);
  after.maps.then(change.maps);
  const std::size_t faces = after.body.faces.size();
  after.fits.resize(faces);
  after.sizes.resize(faces, {.area_within = kInfinity, .volume_within = kInfinity});
  after.facets.resize(faces, 0);
  const auto is_dropped = [&](std::uint32_t f) {
    return std::binary_search(edit.dropped.begin(), edit.dropped.end(), f);
  };
  for (const std::uint32_t f : edit.dropped) {
    after.fits[f] = {};
    after.sizes[f] = {};
    after.facets[f] = 0;
  }
  std::erase_if(after.troubles, [&](const FaceTrouble& t) { return is_dropped(t.face); });
  std::erase_if(after.lost, [&](const LostFace& l) { return l.face && is_dropped(*l.face); });
  std::erase_if(after.closed, [&](const ClosedPlane& c) { return is_dropped(c.face); });
  std::vector<std::uint32_t> turned;
  std::set_symmetric_difference(after.turned.begin(), after.turned.end(), edit.turned.begin(),
                                edit.turned.end(), std::back_inserter(turned));
  std::erase_if(turned, is_dropped);
  after.turned = std::move(turned);
  for (const std::uint32_t f : edit.turned) after.sizes[f].turn();
  for (const OtherLoops& l : edit.looped) {
    after.fits[l.face] = l.fit;
    after.sizes[l.face] = {.area_within = kInfinity, .volume_within = kInfinity};
    after.facets[l.face] = l.facets;
  }
  for (const OtherFacets& d : edit.divided) {
    after.fits[d.face] = d.fit;
    after.facets[d.face] = d.facets;
  }
  for (std::size_t i = 0; i < edit.added.size(); ++i) {
    const std::size_t f = before->body.faces.size() + i;
    after.fits[f] = edit.added[i].fit;
    after.facets[f] = edit.added[i].facets;
  }
  return after;
}

}  // namespace aguja
