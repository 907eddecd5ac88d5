#pragma once
/// \file
/// What was imported: named parts in one length unit, each a shape at a place.

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "aguja/base/units.h"
#include "aguja/model/shape.h"

namespace aguja {

class Part;

/// A part in the making, or one to be changed: its shape, in the model's coordinates, is still its
/// own.
struct PartDraft : Shape {
  std::string name;

  PartDraft() = default;
  PartDraft(std::string part_name, Shape shape)
      : Shape(std::move(shape)), name(std::move(part_name)) {}
  explicit PartDraft(const Part& part);
  /// Takes the shape itself if nothing else refers to it.
  explicit PartDraft(Part&& part);
};

/// A shape at a place. Copies share the shape, and what is worked out of it.
class Part {
 public:
  Part();
  Part(PartDraft draft);  // NOLINT: a finished draft is a part
  Part(std::string part_name, Mesh mesh);
  Part(std::string part_name, Shape shape, const Placement& placement = {});
  /// Errors: ArgumentError if the placement is singular or not finite, or takes a point out of the
  /// range of doubles; or if patches are named of some triangles only.
  Part(std::string part_name, ShapePtr shape, const Placement& placement = {});

  std::string name;

  /// In its own coordinates; never null.
  [[nodiscard]] const ShapePtr& shape() const { return shape_; }
  [[nodiscard]] const Placement& placement() const { return placement_; }
  /// In the model's coordinates: the shape itself where the placement changes nothing; else made
  /// when it is first asked for, once for all copies of the part. May be asked from any thread.
  [[nodiscard]] const Shape& placed() const;
  [[nodiscard]] const Mesh& mesh() const { return placed().mesh; }
  [[nodiscard]] const FacetRecords& facets() const { return placed().facets; }
  [[nodiscard]] const std::vector<std::string>& patch_names() const { return shape_->patch_names; }
  [[nodiscard]] const std::vector<std::optional<Rgb>>& patch_colours() const {
    return shape_->patch_colours;
  }

  /// The same shape at another place: first where it is, then `by`.
  [[nodiscard]] Part moved(const Placement& by) const;

 private:
  friend struct PartDraft;
  struct Placed;
  ShapePtr shape_;
  Placement placement_;
  std::shared_ptr<Placed> placed_;  // none where the placement changes nothing
  bool made_here_ = false;          // the shape was not const before it came here
};

/// A file of surfaces that parts of a model come from.
struct SurfaceSource {
  std::string file;        ///< as named; empty: not from a file
  std::string time_stamp;  ///< that the file bears; empty: none
  LengthUnit unit = LengthUnit::millimetre;
  double to_model = 1;  ///< lengths of it times this are lengths of the model
  std::vector<PreparedBodyPtr> bodies;
  std::vector<BodyInstance> instances;        ///< also of bodies that gave no triangles
  std::vector<NotUnderstood> not_understood;  ///< most first
  // In the source's unit:
  std::optional<double> uncertainty;  ///< what the file states
  SewTolerance tolerance;
  double chord = 0;
  SurfaceSizes sizes;  ///< of all instances
};

/// Surface of a file that nothing could be made of. Operations keep it: what closes a part there
/// is a guess.
struct LostSurface {
  std::string part;                    ///< that it is missing from; empty: a shape of its own
  std::vector<EntityNumber> entities;  ///< as the file numbers them
  friend bool operator==(const LostSurface&, const LostSurface&) = default;
};

struct Model {
  LengthUnit unit = LengthUnit::millimetre;
  bool unit_assumed = true;  ///< the file states none
  std::vector<Part> parts;
  std::string header;              ///< the 80 bytes of a binary STL file, as read; else empty
  std::vector<std::string> notes;  ///< what was odd about the file, or not kept of it, a line each
  std::vector<SurfaceSource> sources;  ///< in the order in which they were read
  std::vector<LostSurface> lost;
};

/// All parts as one body: points and triangles one after another, the parts become its patches
/// (parts that have patches of their own: those, named `part/patch`).
/// Errors: ArgumentError if the sum is beyond the index types.
[[nodiscard]] Model as_one(Model model);

[[nodiscard]] bool has_colours(const Model& model);
[[nodiscard]] std::size_t triangle_count(const Model& model);
[[nodiscard]] Box box_of(const Model& model);

/// The parts and sources of `more` after those of `model`, in its unit; notes named after `label`.
void append(Model& model, Model more, const std::string& label);

}  // namespace aguja
