#include "aguja/solid/cut_model.h"

#include <algorithm>
#include <cmath>

#include <Eigen/Geometry>

#include "aguja/base/error.h"
#include "aguja/geometry/primitive.h"
#include "aguja/solid/distances.h"

namespace aguja {
namespace {

std::vector<std::string> fields_of(const std::string& text) {
  std::vector<std::string> fields(1);
  for (const char c : text) {
    if (c == ',') {
      fields.emplace_back();
    } else {
      fields.back() += c;
    }
  }
  return fields;
}

// Lengths in threes.
std::vector<Point> points_of(const std::string& text, LengthUnit unit, const std::string& what) {
  const std::vector<std::string> fields = fields_of(text);
  if (fields.size() % 3 != 0) throw ArgumentError(what + "; got '" + text + "'");
  std::vector<Point> points;
  for (std::size_t i = 0; i < fields.size(); i += 3) {
    points.emplace_back(parse_length(fields[i], unit), parse_length(fields[i + 1], unit),
                        parse_length(fields[i + 2], unit));
  }
  return points;
}

Cutter across_axis(const std::string& text, LengthUnit unit) {
  CutPlane plane;
  const int axis = text[0] - 'x';
  plane.normal = Vector::Unit(axis);
  plane.through[axis] = parse_length(std::string_view(text).substr(2), unit);
  return {text, plane, 0};
}

Cutter through_point(const std::string& text, LengthUnit unit) {
  const auto p = points_of(text, unit, "plane: expected X,Y,Z of a point and of a normal");
  if (p.size() != 2)
    throw ArgumentError("plane: expected a point and a normal; got '" + text + "'");
  if (p[1].isZero(0)) throw ArgumentError("plane: the normal is 0");
  return {"plane " + text, CutPlane{p[0], p[1]}, 0};
}

Cutter along_patch(const std::string& name, const Model& model, double flat_within) {
  const PatchCatalogue catalogue(model);
  const MeasuredPatch& patch = catalogue.find(name);
  std::vector<Point> points;
  Vector facing = Vector::Zero();
  for (const TriangleId t : patch.set.triangles) {
    const Triangle& v = patch.set.mesh->triangle(t);
    const Point &a = patch.set.mesh->point(v[0]), &b = patch.set.mesh->point(v[1]),
                &c = patch.set.mesh->point(v[2]);
    facing += (b - a).cross(c - a);
    points.insert(points.end(), {a, b, c});
  }
  const auto plane = fit_plane(points);
  if (!plane) throw ArgumentError("patch '" + name + "' has no area, and no plane");
  CutPlane cut{plane->origin, facing.dot(plane->axis) < 0 ? -plane->axis : plane->axis};
  // As exact as it can be where the patch is square to an axis.
  for (int k = 0; k < 3; ++k) {
    if (std::all_of(points.begin(), points.end(),
                    [&](const Point& p) { return p[k] == points[0][k]; })) {
      cut = {points[0], facing[k] < 0 ? Vector(-Vector::Unit(k)) : Vector(Vector::Unit(k))};
    }
  }
  double off = 0;
  for (const Point& p : points) off = std::max(off, std::fabs(cut.distance(p)));
  if (off > flat_within) {
    throw ArgumentError("patch '" + name + "' is not flat: its points lie up to " + shortest(off) +
                        " " + std::string(symbol(model.unit)) +
                        " from a plane; a tolerance of that would do");
  }
  return {"patch " + name, cut, off};
}

Cutter around_box(const std::string& text, LengthUnit unit) {
  const auto corners = points_of(text, unit, "box: expected X,Y,Z of two corners");
  if (corners.size() != 2) throw ArgumentError("box: expected two corners; got '" + text + "'");
  Box box;
  for (const Point& p : corners) box.extend(p);
  if (!((box.high - box.low).array() > 0).all()) {
    throw ArgumentError("box: it has no room inside: '" + text + "'");
  }
  return {"box", body_of(box), 0};
}

class ModelCutter {
 public:
  ModelCutter(std::span<const Cutter> cutters, const CutModelOptions& options, Progress* progress)
      : cutters_(cutters), options_(options), progress_(progress) {}

  [[nodiscard]] CutModel run(const Model& model) {
    for (const Part& part : model.parts) cut_part(part);
    if (!out_.troubles.empty()) pieces_.clear();
    out_.model.unit = model.unit;
    out_.model.unit_assumed = model.unit_assumed;
    out_.model.notes = model.notes;
    out_.model.lost = model.lost;
    out_.model.parts = std::move(pieces_);
    return std::move(out_);
  }

 private:
  struct NamedPiece {
    Part part;
    std::string sides;  // "below x=3mm, above y=2mm"
  };

  void cut_part(const Part& part) {
    std::vector<NamedPiece> pieces = {{part, ""}};
    bool is_cut = false;
    for (const Cutter& cutter : cutters_) {
      std::vector<NamedPiece> next;
      for (NamedPiece& piece : pieces) is_cut |= cut_piece(std::move(piece), cutter, next);
      pieces = std::move(next);
    }
    if (is_cut) out_.cut.push_back(part.name);
    for (NamedPiece& piece : pieces) {
      if (!piece.sides.empty()) piece.part.name += " " + piece.sides;
      pieces_.push_back(std::move(piece.part));
    }
  }
  // False if all of it is on one side.
  bool cut_piece(NamedPiece piece, const Cutter& cutter, std::vector<NamedPiece>& next) {
    CutOptions own = options_;
    own.on_within = std::max(own.on_within, cutter.on_within);
    CutResult cut =
        cutter.is_plane()
            ? cut_by_plane(piece.part.mesh(), std::get<CutPlane>(cutter.by), own, progress_)
            : cut_by_body(piece.part.mesh(), std::get<Mesh>(cutter.by), own, progress_);
    if (!cut.problem.empty()) {
      out_.troubles.push_back({piece.part.name, cutter.name, cut.problem, cut.place});
      next.push_back(std::move(piece));
      return false;
    }
    note(cut);
    const auto is_empty = [&](std::size_t side) { return cut.sides[side].mesh.triangles.empty(); };
    const auto is_wanted = [&](std::size_t side) {
      return options_.keep == KeptSides::both || (options_.keep == KeptSides::first) == (side == 0);
    };
    if (is_empty(0) || is_empty(1)) {
      if (is_wanted(is_empty(0) ? 1 : 0)) {
        next.push_back(std::move(piece));
      } else {
        out_.left_out.push_back(name_of(piece, ""));
      }
      return false;
    }
    if (cutter.is_plane()) {
      out_.sections.push_back({name_of(piece, ""), cutter.name, std::move(cut.section)});
    }
    for (std::size_t side = 0; side < 2; ++side) {
      const std::string where = std::string(cutter.side_name(side)) + " " + cutter.name;
      if (!is_wanted(side)) {
        out_.left_out.push_back(name_of(piece, where));
        continue;
      }
      NamedPiece made = {piece_of_cut(piece.part, std::move(cut.sides[side]), cutter), piece.sides};
      if (options_.keep == KeptSides::both) {
        made.sides += (made.sides.empty() ? "" : ", ") + where;
      }
      next.push_back(std::move(made));
    }
    return true;
  }
  [[nodiscard]] static std::string name_of(const NamedPiece& piece, const std::string& where) {
    std::string name = piece.part.name;
    if (!piece.sides.empty()) name += " " + piece.sides;
    if (!where.empty()) name += (piece.sides.empty() ? " " : ", ") + where;
    return name;
  }
  void note(const CutResult& cut) {
    out_.rounding.rounds = std::max(out_.rounding.rounds, cut.rounding.rounds);
    out_.rounding.moved = std::max(out_.rounding.moved, cut.rounding.moved);
    out_.rounding.points += cut.rounding.points;
    out_.off_plane = std::max(out_.off_plane, cut.off_plane);
  }
  [[nodiscard]] static Part piece_of_cut(const Part& part, CutSide side, const Cutter& cutter) {
    PartDraft draft;
    draft.name = part.name;
    draft.patch_names = part.patch_names();
    draft.patch_colours = part.patch_colours();
    const bool has_cap = std::any_of(side.parent.begin(), side.parent.end(),
                                     [](TriangleId p) { return p.value == kNoIndex; });
    if (has_cap) {
      const bool had_patches = !part.mesh().patch_of.empty();
      // What had no patches is one, named as the part.
      if (!had_patches && draft.patch_names.empty()) draft.patch_names = {part.name};
      std::uint32_t cap = 0;
      for (const PatchId p : part.mesh().patch_of) cap = std::max(cap, p.value + 1);
      if (!had_patches) cap = 1;
      draft.patch_names.resize(std::max<std::size_t>(draft.patch_names.size(), cap));
      const auto named = static_cast<std::uint32_t>(draft.patch_names.size());
      // Names of patches without triangles stay as they are.
      for (std::size_t t = 0; t < side.parent.size(); ++t) {
        if (side.parent[t].value == kNoIndex) side.mesh.patch_of[t] = {named};
      }
      draft.patch_names.push_back("cut " + cutter.name);
      if (!draft.patch_colours.empty()) draft.patch_colours.resize(draft.patch_names.size());
    }
    draft.mesh = std::move(side.mesh);
    return draft;
  }

  std::span<const Cutter> cutters_;
  const CutModelOptions& options_;
  Progress* progress_;
  std::vector<Part> pieces_;
  CutModel out_;
};

}  // namespace

std::string_view Cutter::side_name(std::size_t side) const {
  if (is_plane()) return side == 0 ? "below" : "above";
  return side == 0 ? "inside" : "outside";
}

Cutter parse_cutter(const std::string& text, const Model& model, double flat_within,
                    const std::optional<Vector>& along) {
  if (text.size() > 2 && text[0] >= 'x' && text[0] <= 'z' && text[1] == '=') {
    return across_axis(text, model.unit);
  }
  const std::size_t colon = text.find(':');
  const std::string key = text.substr(0, colon);
  const std::string value = colon == std::string::npos ? "" : text.substr(colon + 1);
  if (key == "plane") return through_point(value, model.unit);
  if (key == "patch") return along_patch(value, model, flat_within);
  if (key == "box") return around_box(value, model.unit);
  if (key == "outline") {
    return outline_cutter(
        points_of(value, model.unit, "outline: expected X,Y,Z of its points in order"), along,
        box_of(model));
  }
  throw ArgumentError("'" + text +
                      "' is no place to cut: expected x=12mm, plane:X,Y,Z,NX,NY,NZ, patch:NAME, "
                      "box:X,Y,Z,X,Y,Z or outline:X,Y,Z,X,Y,Z,...");
}

Cutter outline_cutter(std::span<const Point> outline, const std::optional<Vector>& along,
                      const Box& reach) {
  Vector direction = Vector::Zero();
  if (along) {
    direction = *along;
  } else if (const auto plane = fit_plane(outline)) {
    direction = plane->axis;
  }
  return {"outline", swept_outline(outline, direction, reach), 0};
}

std::optional<KeptSides> parse_kept_sides(std::string_view word, std::span<const Cutter> cutters) {
  if (word == "both") return KeptSides::both;
  for (const std::size_t side : {0U, 1U}) {
    const bool fits_all = std::all_of(cutters.begin(), cutters.end(),
                                      [&](const Cutter& c) { return c.side_name(side) == word; });
    if (fits_all) return side == 0 ? KeptSides::first : KeptSides::second;
  }
  return std::nullopt;
}

CutModel cut_model(const Model& model, std::span<const Cutter> cutters,
                   const CutModelOptions& options, Progress* progress) {
  return ModelCutter(cutters, options, progress).run(model);
}

}  // namespace aguja
