#pragma once
/// \file
/// Points made by intersection, kept exact: as what they are the intersection of. They live together
/// with the given points that define them.

#include <array>
#include <atomic>
#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "aguja/geometry/box.h"
#include "aguja/geometry/predicates.h"

namespace aguja {

/// A point of an `ExactPoints`: given ones first, by their number, then those that were made.
struct ExactPointId {
  std::uint32_t value;
  friend constexpr auto operator<=>(ExactPointId, ExactPointId) = default;
};

/// The line through two given points, by number.
using LineOfPoints = std::array<std::uint32_t, 2>;
/// The plane through three given points, by number.
using PlaneOfPoints = std::array<std::uint32_t, 3>;

struct LineAndPlane {
  LineOfPoints line;
  PlaneOfPoints plane;
};
struct ThreePlanes {
  PlaneOfPoints a, b, c;
};

/// Given points, and points made of them: where a line meets a plane, or where three planes meet.
/// Their coordinates are rational functions of the given ones and never rounded; what is asked below
/// is answered exactly, for all finite coordinates, and never contradicts itself.
///
/// Stages, cheapest first: coordinates that are known to be doubles (where a plane or a line is
/// axis-parallel, or a coordinate turns out to be one), which the predicates on doubles answer,
/// zeros included; a filter on rounded coordinates with the radius of their error; what is zero by
/// definition (a point on the plane that made it, three on one line); whole numbers.
///
/// Cost     A point: 0.2-3 µs, 200 bytes. A predicate: 10-40 ns where filter or definition tell,
///          about 1 µs where whole numbers must, and about 2 µs more for each point that takes part
///          in that for the first time.
/// Threads  Points are added by one thread; what is const may be asked from any number.
/// Source   Attene: Indirect Predicates for Geometric Constructions, Computer-Aided Design 126,
///          2020. Ours differs: whole numbers of one power of two instead of rationals or
///          expansions, kept with the point.
class ExactPoints {
 public:
  /// `given` are finite and must outlive this object.
  explicit ExactPoints(std::span<const Point> given);
  ~ExactPoints();
  ExactPoints(const ExactPoints&) = delete;
  ExactPoints& operator=(const ExactPoints&) = delete;

  [[nodiscard]] std::size_t size() const { return given_.size() + made_count_; }
  [[nodiscard]] std::size_t given_count() const { return given_.size(); }
  [[nodiscard]] bool is_given(ExactPointId p) const { return p.value < given_.size(); }

  /// Empty if the line is parallel to the plane or lies in it, or if its points coincide or the
  /// plane's are on one line.
  [[nodiscard]] std::optional<ExactPointId> add(const LineOfPoints& line,
                                                const PlaneOfPoints& plane);
  /// Empty unless the three planes meet in exactly one point.
  [[nodiscard]] std::optional<ExactPointId> add(const PlaneOfPoints& a, const PlaneOfPoints& b,
                                                const PlaneOfPoints& c);
  /// Many at once, in the order given; parallel. Those that are empty take up numbers all the same.
  [[nodiscard]] std::vector<std::optional<ExactPointId>> add(std::span<const LineAndPlane> many);
  [[nodiscard]] std::vector<std::optional<ExactPointId>> add(std::span<const ThreePlanes> many);

  /// The coordinates, each within an ulp.
  [[nodiscard]] Point approximation(ExactPointId p) const;
  /// A box, most often as small as rounding allows, that holds the point. Costs next to nothing.
  [[nodiscard]] Box bounds(ExactPointId p) const;
  /// The coordinates themselves, as fractions of whole numbers: "-3/7".
  [[nodiscard]] std::array<std::string, 3> fractions(ExactPointId p) const;

  /// Sign of a's coordinate along an axis minus b's.
  [[nodiscard]] StagedSign compare_staged(ExactPointId a, ExactPointId b, int axis) const;
  [[nodiscard]] int compare(ExactPointId a, ExactPointId b, int axis) const {
    return compare_staged(a, b, axis).sign;
  }
  /// Lexicographic: x, then y, then z. 0 if they are the same point, however they were made.
  [[nodiscard]] int compare(ExactPointId a, ExactPointId b) const;

  /// As `orient3d`, of the corners of a plane and a fourth point.
  [[nodiscard]] StagedSign orient3d_staged(const PlaneOfPoints& plane, ExactPointId d) const;
  [[nodiscard]] int orient3d(const PlaneOfPoints& plane, ExactPointId d) const {
    return orient3d_staged(plane, d).sign;
  }

  /// As `orient2d`, seen along an axis: of the coordinates (axis + 1) % 3 and (axis + 2) % 3.
  [[nodiscard]] StagedSign orient2d_staged(ExactPointId a, ExactPointId b, ExactPointId c,
                                           int axis) const;
  [[nodiscard]] int orient2d(ExactPointId a, ExactPointId b, ExactPointId c, int axis) const {
    return orient2d_staged(a, b, c, axis).sign;
  }
  /// As `in_circle`, seen along an axis.
  [[nodiscard]] StagedSign in_circle_staged(ExactPointId a, ExactPointId b, ExactPointId c,
                                            ExactPointId d, int axis) const;

  /// An axis along which the plane is seen as a triangle that is not flat, the one along which it
  /// is largest by rounded coordinates, and whether it runs counter-clockwise then (+1) or clockwise
  /// (-1). 0 if its points are on one line.
  struct View {
    int axis;
    int sign;
  };
  [[nodiscard]] View view_of(const PlaneOfPoints& plane) const;

 private:
  struct Whole;  // homogeneous coordinates as whole numbers
  struct Made {
    std::array<std::uint32_t, 9> definition;  // 5: a line and a plane; 9: three planes
    std::uint8_t count;
    std::uint8_t known;  // by axis, a bit: `near` is the coordinate itself
    Point near;
    Point radius;  // no coordinate is farther from `near`
    // Made when it is first needed, by whoever is first.
    mutable std::atomic<const Whole*> whole{nullptr};
  };
  // What the filter sees of a point.
  struct Seen {
    const Point* near;
    const Point* radius;
    std::uint8_t known;
  };

  [[nodiscard]] Made& made_at(std::size_t i) const { return made_[i / kBlock][i % kBlock]; }
  [[nodiscard]] const Made& made(ExactPointId p) const { return made_at(p.value - given_.size()); }
  void reserve(std::size_t count);
  [[nodiscard]] Seen seen(ExactPointId p) const {
    if (is_given(p)) return {&given_[p.value], &kNoRadius, 7};
    const Made& m = made(p);
    return {&m.near, &m.radius, m.known};
  }
  static void define(Made& point, const LineAndPlane& as);
  static void define(Made& point, const ThreePlanes& as);
  template <class Definition>
  [[nodiscard]] std::optional<ExactPointId> add_one(const Definition& as);
  template <class Definition>
  [[nodiscard]] std::vector<std::optional<ExactPointId>> add_all(std::span<const Definition> many);
  // False if there is no such point.
  [[nodiscard]] bool settle(Made& point) const;
  [[nodiscard]] bool settle_on_line(Made& point) const;
  [[nodiscard]] bool settle_on_planes(Made& point) const;
  void finish(Made& point) const;
  [[nodiscard]] const Whole& whole(ExactPointId p) const;
  [[nodiscard]] Whole whole_of(const Point& p) const;
  [[nodiscard]] Whole whole_of(const Made& point) const;
  void look_closer(Made& point) const;
  [[nodiscard]] bool is_on(ExactPointId p, const LineOfPoints& line) const;
  [[nodiscard]] bool is_on(ExactPointId p, const PlaneOfPoints& plane) const;
  [[nodiscard]] bool on_one_line_by_definition(ExactPointId a, ExactPointId b,
                                               ExactPointId c) const;

  static const Point kNoRadius;
  std::span<const Point> given_;
  static constexpr std::size_t kBlock = 4096;
  std::vector<std::unique_ptr<Made[]>> made_;  // in blocks, so that they stay where they are
  std::size_t made_count_ = 0;
  int least_exponent_ = 0;  // all given coordinates are whole multiples of two to the power of it
};

/// A half-plane that ends on a line: the plane that it lies in, and a point on its side.
struct HalfPlane {
  PlaneOfPoints plane;
  ExactPointId apex;  ///< in the plane, not on the line
};

/// Half-planes around the line from `from` to `to`, counter-clockwise as seen against that
/// direction, beginning with the first one given. Those that coincide are in one group, in the order
/// in which they were given.
/// Cost     O(k log k) predicates for k half-planes.
/// Errors   ArgumentError (an apex on the line, points that coincide).
[[nodiscard]] std::vector<std::vector<std::uint32_t>> order_around(
    const ExactPoints& points, ExactPointId from, ExactPointId to,
    std::span<const HalfPlane> half_planes);

/// Is the second half-plane ahead of the first, counter-clockwise by less than half a turn (+1), or
/// behind it by less (-1), or does it lie in its plane (0)?
[[nodiscard]] int turn_around(const ExactPoints& points, ExactPointId from, ExactPointId to,
                              const HalfPlane& first, const HalfPlane& second);

}  // namespace aguja
