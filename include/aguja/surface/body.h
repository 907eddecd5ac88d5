#pragma once
/// \file
/// Bodies: faces on surfaces, bounded by loops of edges that they may share.

#include <array>
#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "aguja/base/colour.h"
#include "aguja/base/units.h"
#include "aguja/mesh/mesh.h"
#include "aguja/surface/surface.h"

namespace aguja {

/// The number that a file gives an entity; 0: none.
using EntityNumber = std::uint64_t;

struct BodyVertex {
  Point point = Point::Zero();
  EntityNumber entity = 0;
};

/// A piece of a curve from one vertex to another: from `from` to `to`, which is lower where the
/// edge runs against its curve.
struct BodyEdge {
  CurvePtr curve;
  double from = 0;
  double to = 0;
  std::uint32_t start = 0;
  std::uint32_t end = 0;
  EntityNumber entity = 0;
  /// How far sewing has found its sides apart; model units.
  double tolerance = 0;
  bool sewn = false;  ///< the file has one edge for each of its faces
  [[nodiscard]] Interval range() const {
    return from < to ? Interval{from, to} : Interval{to, from};
  }
  [[nodiscard]] bool is_closed() const { return start == end; }
};

/// One use of an edge by a face.
struct EdgeUseOfFace {
  std::uint32_t edge = 0;
  bool forward = true;
  /// A curve in the surface's parameters that the file says is the same, or holds the same; none of
  /// the work relies on it, it is only compared.
  CurvePtr in_parameters;
};

/// Edges one after another; a loop without edges is a vertex (an apex, or a place on a closed
/// surface).
struct FaceLoop {
  std::vector<EdgeUseOfFace> edges;
  std::optional<std::uint32_t> vertex;
  EntityNumber entity = 0;
};

struct Face {
  SurfacePtr surface;
  bool same_sense = true;  ///< it faces as its surface's normal does
  /// Loops run with the face on their left, seen against its normal; else the side that they are
  /// around is told by what they enclose.
  bool loops_directed = true;
  std::vector<FaceLoop> loops;  ///< empty: all of the surface's domain
  bool is_used = true;          ///< some operation may have done without it
  std::string name;
  std::optional<Rgb> colour;
  std::string layer;                ///< empty: none is named
  std::vector<std::string> groups;  ///< that it, or what it belongs to, is a member of
  EntityNumber entity = 0;
};

struct BodyShell {
  struct Use {
    std::uint32_t face = 0;
    bool forward = true;
  };
  std::vector<Use> faces;
  bool meant_closed = false;
  bool is_void = false;
  EntityNumber entity = 0;
};

/// What belongs together in the file: a solid, a surface model, a set of surfaces.
///
/// Vertices, edges and faces are known by their numbers. Operations make another body of one, in
/// which these numbers still hold: what they add comes last, and what is no longer used stays,
/// unused.
struct Body {
  std::string name;
  std::vector<BodyVertex> vertices;
  std::vector<BodyEdge> edges;
  std::vector<Face> faces;
  std::vector<BodyShell> shells;
  EntityNumber entity = 0;
  /// Triangles that the file gives itself, with nothing behind them.
  Mesh facets;
  /// Faces and shells that the file gives it and that could not be read.
  std::vector<EntityNumber> not_read;
};

/// What became of vertices, edges or faces, by number.
class EntityMap {
 public:
  /// Itself, the one that it was merged into, or the pieces that it was divided into, in its
  /// direction; none if it is no longer used.
  [[nodiscard]] std::vector<std::uint32_t> now(std::uint32_t before) const;
  [[nodiscard]] bool is_unchanged(std::uint32_t before) const { return !now_.contains(before); }
  /// How many are no longer themselves.
  [[nodiscard]] std::size_t size() const { return now_.size(); }

  void set(std::uint32_t before, std::vector<std::uint32_t> now);
  /// Another operation follows, made of the body after this one.
  void then(const EntityMap& next);
  /// Forgets those that were not there before.
  void keep_below(std::uint32_t count);

 private:
  std::map<std::uint32_t, std::vector<std::uint32_t>> now_;  // what is not in it is itself
};

struct BodyMaps {
  EntityMap vertices, edges, faces;
  void then(const BodyMaps& next);
};

/// What an operation made of a body.
struct BodyChange {
  Body body;
  BodyMaps maps;
  /// No vertex, and no place that faces share, is farther from where it was; model units. Surfaces
  /// do not move.
  double largest_movement = 0;
};

/// Says in the maps of a change which vertices and edges that `before` used are used no longer.
void note_unused(const Body& before, BodyChange& change);

/// How often each edge is used, over all faces of the body.
[[nodiscard]] std::vector<std::uint32_t> edge_uses(const Body& body);

/// A body at a place.
struct BodyInstance {
  std::size_t body = 0;
  Placement placement;
  std::string name;
};

struct NotUnderstood {
  std::string type;
  std::size_t count = 0;
};

struct SurfaceModel {
  LengthUnit unit = LengthUnit::millimetre;
  bool unit_assumed = true;
  std::optional<double> uncertainty;  ///< what the file states, model units
  std::string time_stamp;             ///< that the file bears; empty: none
  std::vector<Body> bodies;
  std::vector<BodyInstance> instances;
  std::vector<NotUnderstood> not_understood;  ///< most first
  std::vector<EntityNumber> not_read;         ///< shapes of which nothing could be read
  std::vector<std::string> notes;
};

[[nodiscard]] Box box_of(const Body& body);
[[nodiscard]] Box box_of(const SurfaceModel& model);

}  // namespace aguja
