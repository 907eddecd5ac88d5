#pragma once
// Entities of an exchange structure (ISO 10303-21), and points, curves and surfaces of ISO 10303-42 as
// such.

#include <cstdint>
#include <map>
#include <span>
#include <string>
#include <string_view>
#include <unordered_map>
#include <utility>
#include <vector>

#include "aguja/base/colour.h"
#include "aguja/formats/format.h"
#include "aguja/surface/surface.h"

namespace aguja::detail {

/// Entities in the order in which they are added; each names only those before it.
class StepEntities {
 public:
  explicit StepEntities(const ByteSink& sink) : sink_(sink) {}
  /// `parts`, one after another: the type with its values, or several in brackets.
  template <class... Parts>
  std::uint64_t add(const Parts&... parts) {
    begin();
    (pending_.append(std::string_view(parts)), ...);
    return end();
  }
  void flush();

 private:
  void begin();
  std::uint64_t end();

  const ByteSink& sink_;
  std::string pending_;
  std::uint64_t count_ = 0;
};

// Values as text.
[[nodiscard]] std::string step_real(double value);
[[nodiscard]] std::string step_real(float value);
/// Quoted; what is not ASCII as `\X2\`.
[[nodiscard]] std::string step_text(std::string_view utf8);
[[nodiscard]] std::string step_name(std::uint64_t entity);  ///< `#12`
[[nodiscard]] std::string step_list(std::span<const std::uint64_t> entities);
[[nodiscard]] std::string_view step_flag(bool value);

using StepIds = std::vector<std::uint64_t>;

/// What faces look like and belong to, written once all of them are.
struct StepStyles {
  std::map<Rgb, StepIds> coloured;
  std::map<std::string, StepIds> layers, groups;
};

/// The items of a representation, and of what kinds they are.
struct StepItems {
  StepIds ids;
  bool has_solids = false, has_sheets = false, is_faceted = false, is_tessellated = false;
};

/// Does the placement keep angles and handedness? What it multiplies lengths by, then.
[[nodiscard]] std::optional<double> even_scale(const Placement& at);

/// Writes geometry, each thing once. What the standard has no form for is fitted by splines.
class StepGeometryWriter {
 public:
  /// `at` keeps angles and handedness. `fit_within`: in lengths as written.
  StepGeometryWriter(StepEntities& out, const Placement& at, double fit_within)
      : out_(out), at_(at), fit_within_(fit_within) {}

  std::uint64_t point(const Point& p) { return placed_point(at_(p)); }
  /// `used`: the part of it that is; only that of it is fitted, if it is.
  std::uint64_t curve(const CurvePtr& curve, const Interval& used);
  /// Of an edge from `from` to `to`: lines, conics, polylines and splines, as the standard wants them of
  /// faces; all else is fitted, over what is used of it. `forward`: does the edge run along it?
  struct EdgeGeometry {
    std::uint64_t curve;
    bool forward;
  };
  EdgeGeometry edge_curve(const CurvePtr& curve, double from, double to);
  std::uint64_t surface(const SurfacePtr& surface);
  /// Why it cannot be written; empty if it can.
  [[nodiscard]] static std::string why_not(const Surface& surface);

  [[nodiscard]] std::size_t fitted() const { return fitted_; }
  [[nodiscard]] double fitted_off() const { return fitted_off_; }

 private:
  std::uint64_t placed_point(const Point& p);
  std::uint64_t direction(const Vector& d);
  std::uint64_t vector(const Vector& v);
  std::uint64_t frame(const Frame& f, const Placement& at);
  std::uint64_t curve_at(const Curve& curve, const Interval& used, const Placement& at);
  std::uint64_t bounded_at(const Curve& curve, const Interval& range, const Placement& at);
  std::uint64_t fitted_at(const Curve& curve, const Interval& range, const Placement& at);
  std::uint64_t spline(const KnotVector& knots, std::span<const Point> points,
                       std::span<const double> weights, const Placement& at);
  std::uint64_t spline_surface(const SplineSurfaceData& s, const Placement& at);
  std::uint64_t ruled(const RuledData& r, const Placement& at);
  std::uint64_t surface_at(const Surface& surface, const Placement& at);

  StepEntities& out_;
  Placement at_;
  double fit_within_;
  std::size_t fitted_ = 0;
  double fitted_off_ = 0;
  std::unordered_map<const Curve*, std::uint64_t> curves_;  // those that are not fitted
  std::unordered_map<const Surface*, std::uint64_t> surfaces_;
};

}  // namespace aguja::detail
