// Wavefront OBJ, polygonal statements. Source: the format's public description ("Object Files
// (.obj)", appendix B1 of the Advanced Visualizer manual).

#include <array>
#include <map>
#include <unordered_map>

#include "aguja/formats/read.h"
#include "aguja/mesh/polygon.h"
#include "formats/sections.h"
#include "formats/text.h"

namespace aguja {
namespace {

using detail::TextCursor;

// A backslash at the end of a line joins it to the next, in comments excepted. Both characters
// become blanks, the line end a vertical tab, which `fail_at` counts as a line.
std::string join_lines(std::string_view text) {
  std::string joined(text);
  for (std::size_t at = joined.find('\\'); at != std::string::npos;
       at = joined.find('\\', at + 1)) {
    std::size_t end = at + 1;
    if (end < joined.size() && joined[end] == '\r') ++end;
    if (end == joined.size() || joined[end] != '\n') continue;
    const std::size_t line = joined.find_last_of("\r\n", at);
    const std::size_t first =
        joined.find_first_not_of(" \t", line == std::string::npos ? 0 : line + 1);
    if (joined[first] == '#') continue;
    std::fill(joined.begin() + at, joined.begin() + end, ' ');
    joined[end] = '\v';
  }
  return joined;
}

// Lines that begin with `v` and a blank, after blanks: how many points a piece defines.
std::size_t count_points(std::string_view text) {
  std::size_t count = 0;
  const char* at = text.data();
  const char* const end = at + text.size();
  while (at != end) {
    while (at != end && detail::is_space(*at)) ++at;
    count += end - at > 1 && at[0] == 'v' && detail::is_blank(at[1]);
    while (at != end && !detail::is_line_end(*at)) ++at;
  }
  return count;
}

struct ObjPiece {
  struct Event {
    bool is_object;  // else a group
    std::string name;
    std::size_t triangle, wire, point;  // before which it stands
  };
  SharedArray<Triangle> triangles;
  SharedArray<Wire> wires;
  std::vector<FannedPolygon> polygons;
  std::vector<Event> events;
  std::map<std::string, std::size_t, std::less<>> not_read;  // statements, how often
  std::size_t points = 0;
};

class PieceParser {
 public:
  PieceParser(const Source& source, std::string_view text, std::span<Point> points,
              std::size_t first_point, std::size_t all_points, ObjPiece& piece)
      : cursor_(source, text),
        points_(points),
        first_point_(first_point),
        all_points_(all_points),
        piece_(piece) {}

  void parse() {
    for (cursor_.skip_space(); !cursor_.at_end(); cursor_.skip_space()) {
      const std::string_view word = cursor_.word();
      if (word == "v") {
        point();
      } else if (word == "f" || word == "fo") {
        face();
      } else if (word == "l") {
        line();
      } else if (word == "o" || word == "g") {
        name(word == "o");
      } else if (!word.starts_with('#')) {
        other(word);
      }
      cursor_.skip_line();
    }
    if (piece_.points != points_.size()) throw InternalError("obj: points were counted wrongly");
  }

 private:
  void point() {
    Point p;
    for (int axis = 0; axis < 3; ++axis) p[axis] = cursor_.coordinate("a coordinate");
    points_[piece_.points++] = p;
    if (!cursor_.at_line_end()) ++piece_.not_read["weights or colours of points"];
  }

  VertexId vertex() {
    const TextCursor before = cursor_;
    const long long index = cursor_.integer("a vertex number");
    if (!cursor_.at_end() && *cursor_.at() == '/') cursor_.word();
    if (!cursor_.at_end() && !detail::is_space(*cursor_.at())) {
      before.fail_expected("a vertex number");
    }
    const auto defined = static_cast<long long>(first_point_ + piece_.points);
    // Files that number from 1 may name points that are defined further down.
    const long long last = index < 0 ? defined : static_cast<long long>(all_points_);
    const long long at = index < 0 ? defined + index : index - 1;
    if (index == 0 || at < 0 || at >= last) {
      before.fail(InputProblem::bad_index,
                  "the face names vertex " + std::to_string(index) + ", but " +
                      (index < 0 ? "only " + std::to_string(defined) + " are defined so far"
                                 : std::to_string(last) + " are defined"),
                  "1 to " + std::to_string(last), std::to_string(index));
    }
    return {static_cast<std::uint32_t>(at)};
  }

  void face() {
    corners_.clear();
    while (!cursor_.at_line_end()) corners_.push_back(vertex());
    if (corners_.size() == 2) {
      piece_.wires.push_back({corners_[0], corners_[1]});
    } else if (corners_.size() < 2) {
      if (corners_.empty()) cursor_.fail_expected("a vertex number");
      ++piece_.not_read["faces with one corner"];
    } else {
      if (corners_.size() > 3) {
        piece_.polygons.push_back({piece_.triangles.size(), corners_.size()});
      }
      append_fan(piece_.triangles, corners_);
    }
  }

  void line() {
    corners_.clear();
    while (!cursor_.at_line_end()) corners_.push_back(vertex());
    for (std::size_t i = 1; i < corners_.size(); ++i) {
      piece_.wires.push_back({corners_[i - 1], corners_[i]});
    }
  }

  void name(bool is_object) {
    cursor_.skip_blanks();
    piece_.events.push_back({is_object, std::string(cursor_.rest_of_line()),
                             piece_.triangles.size(), piece_.wires.size(), piece_.points});
  }

  void other(std::string_view word) {
    constexpr std::array<std::string_view, 5> kHarmless = {"s", "usemtl", "mtllib", "vt", "vn"};
    if (std::find(kHarmless.begin(), kHarmless.end(), word) != kHarmless.end()) return;
    constexpr std::array<std::string_view, 33> kKnown = {
        "vp",         "p",         "mg",     "bevel", "c_interp", "d_interp", "lod",
        "usemap",     "maplib",    "cstype", "deg",   "bmat",     "step",     "curv",
        "curv2",      "surf",      "parm",   "trim",  "hole",     "scrv",     "sp",
        "end",        "con",       "bsp",    "bzp",   "cdc",      "cdp",      "res",
        "shadow_obj", "trace_obj", "ctech",  "stech", "call"};
    if (std::find(kKnown.begin(), kKnown.end(), word) == kKnown.end()) {
      detail::fail_at(cursor_.source(), word.data(), InputProblem::syntax,
                      "expected a statement such as 'v' or 'f', found " + detail::quoted(word),
                      "an OBJ statement", detail::quoted(word));
    }
    ++piece_.not_read["'" + std::string(word) + "' statements"];
  }

  TextCursor cursor_;
  std::span<Point> points_;
  std::size_t first_point_;
  std::size_t all_points_;
  ObjPiece& piece_;
  std::vector<VertexId> corners_;
};

// Objects and groups in file order, as sections of the whole mesh.
class SectionList {
 public:
  SectionList() { open(0, 0, 0); }

  void add(const ObjPiece::Event& e, std::size_t triangles, std::size_t wires, std::size_t points) {
    if (e.is_object) {
      names_.push_back({e.name, {""}});
      patch_of_name_ = {{"", 0}};
      patch_ = 0;
    } else {
      auto& patches = names_.back().patches;
      const auto next = static_cast<std::uint32_t>(patches.size());
      const auto [known, is_new] = patch_of_name_.try_emplace(e.name, next);
      if (is_new) patches.push_back(e.name);
      patch_ = known->second;
    }
    open(triangles + e.triangle, wires + e.wire, points + e.point);
  }
  std::vector<detail::Section> sections;
  std::vector<detail::PartNames> take_names() { return std::move(names_); }

 private:
  void open(std::size_t triangle, std::size_t wire, std::size_t point) {
    sections.push_back({names_.size() - 1, patch_, triangle, wire, point});
  }
  std::vector<detail::PartNames> names_ = {{"", {""}}};
  std::unordered_map<std::string, std::uint32_t> patch_of_name_ = {{"", 0}};  // of the last part
  std::uint32_t patch_ = 0;
};

}  // namespace

Model read_obj(const Source& file, const ReadOptions& /*options*/, Progress* progress) {
  const bool has_joints = file.bytes.find("\\\n") != std::string_view::npos ||
                          file.bytes.find("\\\r\n") != std::string_view::npos;
  const std::string joined = has_joints ? join_lines(file.bytes) : std::string();
  const Source source{file.name, has_joints ? std::string_view(joined) : file.bytes};

  const auto texts = detail::split_at_lines(source.bytes, detail::kPieceBytes);
  std::vector<std::size_t> points_before(texts.size() + 1, 0);
  parallel_tasks(texts.size(),
                 [&](std::size_t i) { points_before[i + 1] = count_points(texts[i]); });
  for (std::size_t i = 0; i < texts.size(); ++i) points_before[i + 1] += points_before[i];
  const std::size_t point_count = points_before.back();
  if (point_count > kMostPoints) {
    detail::fail_at_byte(source, 0, InputProblem::too_large,
                         std::to_string(point_count) + " points are more than a mesh holds");
  }

  advance(progress, "read", 0.1);
  Mesh mesh;
  mesh.points.resize(point_count);
  std::vector<ObjPiece> pieces(texts.size());
  detail::parse_pieces(texts.size(), [&](std::size_t i) {
    const std::size_t first = points_before[i];
    PieceParser(source, texts[i],
                std::span<Point>(mesh.points).subspan(first, points_before[i + 1] - first), first,
                point_count, pieces[i])
        .parse();
  });

  advance(progress, "read", 0.7);
  std::size_t triangles = 0;
  for (const ObjPiece& piece : pieces) triangles += piece.triangles.size();
  if (triangles > kMostTriangles) {
    detail::fail_at_byte(source, 0, InputProblem::too_large,
                         std::to_string(triangles) + " triangles are more than a mesh holds");
  }
  mesh.triangles.reserve(triangles);
  std::vector<FannedPolygon> polygons;
  SectionList sections;
  std::map<std::string, std::size_t> not_read;
  for (std::size_t i = 0; i < pieces.size(); ++i) {
    ObjPiece& piece = pieces[i];
    const std::size_t base = mesh.triangles.size();
    for (const FannedPolygon& p : piece.polygons) polygons.push_back({base + p.first, p.corners});
    for (const ObjPiece::Event& e : piece.events) {
      sections.add(e, base, mesh.wires.size(), points_before[i]);
    }
    mesh.triangles.insert(mesh.triangles.end(), piece.triangles.begin(), piece.triangles.end());
    mesh.wires.insert(mesh.wires.end(), piece.wires.begin(), piece.wires.end());
    for (const auto& [what, count] : piece.not_read) not_read[what] += count;
    piece = {};
  }
  const std::size_t defeated = divide_polygons(mesh.points, mesh.triangles, polygons);

  Model model;
  for (const auto& [what, count] : not_read) {
    model.notes.push_back(what + " are not kept (" + std::to_string(count) + ")");
  }
  if (!polygons.empty()) {
    model.notes.push_back(std::to_string(polygons.size()) +
                          " polygons were divided into triangles");
  }
  if (defeated > 0) {
    model.notes.push_back(std::to_string(defeated) + " of them cross themselves");
  }
  model.parts = detail::divide_into_parts(std::move(mesh), std::move(sections.sections),
                                          sections.take_names());
  return model;
}

}  // namespace aguja
