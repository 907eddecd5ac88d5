#pragma once
/// \file
/// Bodies that meet in nothing but an edge or a vertex.

#include "aguja/base/progress.h"
#include "aguja/mend/change.h"

namespace aguja {

/// What becomes of bodies where they meet in an edge or a vertex alone: only the designer knows.
enum class ContactAs {
  parted,  ///< each gets edges and vertices of its own, moved into it: a gap
  joined,  ///< what is empty between them gets edges of its own, moved into it: a bridge
};

struct ContactOptions {
  ContactAs how = ContactAs::parted;
  /// Coordinates of what is moved are floats.
  bool round_to_float = false;
};

/// Edges that hang together, or a vertex.
struct BodyContact {
  Point place = Point::Zero();
  bool has_edges = false;
};
/// Cost     The edge table, and stars of vertices.
[[nodiscard]] std::vector<BodyContact> find_contacts(const Mesh& mesh);
/// What only the designer knows of each of them, or of those that have edges.
[[nodiscard]] std::vector<Refusal> questions_of_contacts(const Mesh& mesh, bool with_edges = false);

/// Parts or joins bodies at all such contacts of a closed surface that crosses nothing. Vertices are
/// moved by as much as the budget leaves, no farther than a tenth of the edges there, and less where
/// more would make triangles cross.
///
/// Promises  Nothing that was free of crossings crosses afterwards; else the contact is left.
/// Refuses   A contact at which the surface is open, or faces itself wrongly; one that no movement
///           within the budget undoes; bodies that meet in a vertex alone, where they are to be
///           joined: they stay as they are.
/// Decides   What lies behind which triangle, exactly, by angles around edges.
/// Cost      The edge table, stars of vertices, and for each try the search for crossings of what
///           moved.
[[nodiscard]] Change undo_contacts(const Mesh& mesh, const ContactOptions& options,
                                   const Budget& budget = {}, Progress* progress = nullptr);

}  // namespace aguja
