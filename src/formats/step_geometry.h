#pragma once
// Points, curves and surfaces of ISO 10303-42 out of an exchange structure.

#include <memory>
#include <unordered_map>
#include <unordered_set>

#include "aguja/surface/body.h"
#include "formats/part21.h"

namespace aguja::detail {

/// Units of the numbers of a representation: what its lengths and angles are to be multiplied by.
struct StepUnits {
  double length = 1;  ///< to the model's unit
  double angle = 1;   ///< to radians
};

/// Curves and surfaces by entity number, each made once. One per set of units.
class StepGeometry {
 public:
  StepGeometry(const Part21& file, const StepUnits& units) : file_(file), units_(units) {}

  /// Errors of all: EntityError.
  [[nodiscard]] Point point(std::uint64_t number, std::uint64_t asked_by);
  [[nodiscard]] Vector direction(std::uint64_t number, std::uint64_t asked_by);
  [[nodiscard]] Frame frame(std::uint64_t number, std::uint64_t asked_by);
  [[nodiscard]] CurvePtr curve(std::uint64_t number, std::uint64_t asked_by);
  [[nodiscard]] SurfacePtr surface(std::uint64_t number, std::uint64_t asked_by);
  /// PCURVEs on this surface that the curve of an edge brings along: none, one, or two at a seam.
  [[nodiscard]] std::vector<std::uint64_t> parameter_curves(std::uint64_t curve,
                                                            std::uint64_t surface);
  /// In the parameters of the surface as it is made here.
  [[nodiscard]] CurvePtr parameter_curve(std::uint64_t number, std::uint64_t asked_by);
  [[nodiscard]] const Part21& file() const { return file_; }
  [[nodiscard]] const StepUnits& units() const { return units_; }

  /// Where on a curve a piece of it from one point to another runs; `forward` tells which way.
  struct Piece {
    double from = 0, to = 0;
    /// It runs on from the one end of a closed curve to the other, and from there to `to`.
    bool over_seam = false;
  };
  [[nodiscard]] static Piece piece_between(const Curve& curve, const Point& start, const Point& end,
                                           bool closed, bool forward);
  /// Such a piece as a curve of its own, over parameters 0 to 2.
  [[nodiscard]] static CurvePtr over_seam(const CurvePtr& curve, const Piece& piece, bool forward);

 private:
  [[nodiscard]] CurvePtr make_curve(const Entity& entity);
  [[nodiscard]] CurvePtr make_trimmed_curve(const Entity& entity);
  [[nodiscard]] CurvePtr make_composite_curve(const Entity& entity);
  [[nodiscard]] CurvePtr make_spline_curve(const Entity& entity);
  [[nodiscard]] CurvePtr curve_in_parameters(std::uint64_t number, std::uint64_t asked_by);
  [[nodiscard]] SurfacePtr make_surface(const Entity& entity);
  [[nodiscard]] SurfacePtr make_spline_surface_of(const Entity& entity);
  [[nodiscard]] double parameter_scale(const Curve& curve) const;
  // What a surface's parameters in the file are to be multiplied by.
  [[nodiscard]] std::pair<double, double> parameter_units(std::uint64_t surface,
                                                          std::uint64_t asked_by);

  const Part21& file_;
  StepUnits units_;
  std::unordered_map<std::uint64_t, CurvePtr> curves_;
  std::unordered_map<std::uint64_t, SurfacePtr> surfaces_;
  std::unordered_set<std::uint64_t> making_;  // against entities that name themselves
  bool in_parameters_ = false;                // two coordinates, unscaled
};

}  // namespace aguja::detail
