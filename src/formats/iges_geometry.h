#pragma once
// Curves, surfaces and transformations of an IGES file, made when they are asked for.

#include <map>

#include "aguja/surface/surface.h"
#include "formats/iges_file.h"

namespace aguja::detail {

/// Errors of all: IgesError, ArgumentError (values that make no curve or surface).
class IgesGeometry {
 public:
  /// `scale`: from the file's numbers to the model's unit.
  explicit IgesGeometry(const IgesFile& file, double scale = 1) : file_(file), scale_(scale) {}

  [[nodiscard]] const IgesFile& file() const { return file_; }
  [[nodiscard]] double scale() const { return scale_; }
  void set_scale(double scale) {
    scale_ = scale;
    curves_.clear();
    surfaces_.clear();
  }
  /// A transformation with those that it is placed by; 0: none.
  [[nodiscard]] Placement matrix(std::uint64_t number, std::uint64_t asked_by, int depth = 0);
  /// In the model's unit; `raw`: in a surface's parameters, unscaled.
  [[nodiscard]] CurvePtr curve(std::uint64_t number, std::uint64_t asked_by, bool raw = false);
  [[nodiscard]] SurfacePtr surface(std::uint64_t number, std::uint64_t asked_by);
  /// From the parameters that the standard gives the surface, as the file counts them (degrees,
  /// lengths in the file's unit, the generator first), to those of `surface`. Nothing where no
  /// straight law leads from the one to the other.
  [[nodiscard]] std::optional<Placement> parameters(std::uint64_t surface, std::uint64_t asked_by);
  [[nodiscard]] static Point point(const IgesValues& v, std::size_t at, double scale);

  static constexpr int kMostDepth = 60;  ///< of entities in entities
  /// While it is there, one entity more is being made.
  class Deeper {
   public:
    Deeper(int& depth, std::uint64_t entity) : depth_(depth) {
      if (depth >= kMostDepth) throw IgesError(entity, "is made of itself");
      ++depth_;
    }
    Deeper(const Deeper&) = delete;
    Deeper& operator=(const Deeper&) = delete;
    ~Deeper() { --depth_; }

   private:
    int& depth_;
  };

 private:
  CurvePtr make_curve(const IgesEntity& e, double s, bool raw);
  CurvePtr conic(const IgesEntity& e, const IgesValues& v, double s);
  CurvePtr offset(const IgesEntity& e, const IgesValues& v, double s, bool raw);
  CurvePtr copious(const IgesEntity& e, const IgesValues& v, double s);
  CurvePtr parametric_spline(const IgesEntity& e, const IgesValues& v, double s);
  CurvePtr spline(const IgesEntity& e, const IgesValues& v, double s);
  // The parameters of a curve in the standard's form, where they follow its own by a straight law.
  std::optional<Interval> file_domain(const IgesEntity& e, int depth);
  Point point_entity(std::uint64_t number, std::uint64_t asked_by);
  Vector direction_entity(std::uint64_t number, std::uint64_t asked_by);
  SurfacePtr make_surface(const IgesEntity& e);
  [[nodiscard]] double positive(const IgesEntity& e, const IgesValues& v, std::size_t i) const;
  SurfacePtr spline_surface(const IgesEntity& e, const IgesValues& v);
  SurfacePtr parametric_spline_surface(const IgesEntity& e, const IgesValues& v);

  const IgesFile& file_;
  double scale_;
  int depth_ = 0;
  // Entities may name each other twice per level: each is made once.
  std::map<std::pair<std::uint64_t, bool>, CurvePtr> curves_;  // by number and `raw`
  std::map<std::uint64_t, SurfacePtr> surfaces_;
};

}  // namespace aguja::detail
