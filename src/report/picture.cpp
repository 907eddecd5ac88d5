#include "aguja/report/picture.h"

#include <cairo.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <numbers>

#include <fmt/format.h>
#include <Eigen/Geometry>

#include "aguja/base/error.h"
#include "aguja/inspect/finding_fields.h"
#include "aguja/mesh/edge_table.h"
#include "aguja/mesh/weld.h"
#include "aguja/report/text.h"
#include "report/ray_scene.h"

namespace aguja {

struct ShownSegment {
  Point a, b;
};

namespace {

constexpr int kHead = 64;  // pixels for the title
constexpr double kTau = 2 * std::numbers::pi;

// A sheet to draw on; freed with its surface.
class Sheet {
 public:
  Sheet(int width, int height)
      : surface_(cairo_image_surface_create(CAIRO_FORMAT_RGB24, width, height)),
        pen_(cairo_create(surface_)) {}
  Sheet(const Sheet&) = delete;
  Sheet& operator=(const Sheet&) = delete;
  ~Sheet() {
    cairo_destroy(pen_);
    cairo_surface_destroy(surface_);
  }
  [[nodiscard]] cairo_t* pen() const { return pen_; }

  void put(const std::vector<Colour>& image, int width, int height, int top) {
    cairo_surface_flush(surface_);
    unsigned char* bytes = cairo_image_surface_get_data(surface_);
    const int stride = cairo_image_surface_get_stride(surface_);
    for (int y = 0; y < height; ++y) {
      auto* row = reinterpret_cast<std::uint32_t*>(bytes + std::ptrdiff_t{y + top} * stride);
      for (int x = 0; x < width; ++x) {
        const Colour c = image[static_cast<std::size_t>(y * width + x)];
        row[x] = (std::uint32_t{c.red} << 16) | (std::uint32_t{c.green} << 8) | c.blue;
      }
    }
    cairo_surface_mark_dirty(surface_);
  }
  void colour(Colour c, double opacity = 1) const {
    cairo_set_source_rgba(pen_, c.red / 255.0, c.green / 255.0, c.blue / 255.0, opacity);
  }
  void text(const std::string& words, double x, double y, double size, bool bold = false) const {
    cairo_select_font_face(pen_, "DejaVu Sans", CAIRO_FONT_SLANT_NORMAL,
                           bold ? CAIRO_FONT_WEIGHT_BOLD : CAIRO_FONT_WEIGHT_NORMAL);
    cairo_set_font_size(pen_, size);
    cairo_move_to(pen_, x, y);
    cairo_show_text(pen_, words.c_str());
  }
  [[nodiscard]] double width_of(const std::string& words, double size) const {
    cairo_set_font_size(pen_, size);
    cairo_text_extents_t extents;
    cairo_text_extents(pen_, words.c_str(), &extents);
    return extents.x_advance;
  }
  [[nodiscard]] std::string png() const {
    std::string bytes;
    const auto append = [](void* to, const unsigned char* data, unsigned length) {
      static_cast<std::string*>(to)->append(reinterpret_cast<const char*>(data), length);
      return CAIRO_STATUS_SUCCESS;
    };
    if (cairo_surface_write_to_png_stream(surface_, append, &bytes) != CAIRO_STATUS_SUCCESS) {
      throw InternalError("picture: cannot be made into PNG");
    }
    return bytes;
  }

 private:
  cairo_surface_t* surface_;
  cairo_t* pen_;
};

// Square, diamond or ring, dark on a light rim.
void draw_sign(const Sheet& sheet, Severity severity, double x, double y, double size,
               double opacity = 1) {
  cairo_t* pen = sheet.pen();
  cairo_new_path(pen);
  if (severity == Severity::error) {
    cairo_rectangle(pen, x - 0.8 * size, y - 0.8 * size, 1.6 * size, 1.6 * size);
  } else if (severity == Severity::warning) {
    cairo_move_to(pen, x, y - 1.1 * size);
    cairo_line_to(pen, x + 1.1 * size, y);
    cairo_line_to(pen, x, y + 1.1 * size);
    cairo_line_to(pen, x - 1.1 * size, y);
    cairo_close_path(pen);
  } else {
    cairo_arc(pen, x, y, 0.9 * size, 0, kTau);
  }
  sheet.colour(palette::kPanel, opacity);
  cairo_set_line_width(pen, 4);
  cairo_stroke_preserve(pen);
  sheet.colour(severity == Severity::note ? palette::kPanel : palette::kInk, opacity);
  cairo_fill_preserve(pen);
  sheet.colour(palette::kInk, opacity);
  cairo_set_line_width(pen, 1.5);
  cairo_stroke(pen);
}

void draw_line(const Sheet& sheet, const Look& look, const ShownSegment& s) {
  const auto a = look.on_screen(s.a), b = look.on_screen(s.b);
  cairo_move_to(sheet.pen(), a[0], a[1] + kHead);
  cairo_line_to(sheet.pen(), b[0], b[1] + kHead);
}

// Where triangles pass through the plane.
std::vector<ShownSegment> cut_lines(const Model& model, const Vector& n, double offset) {
  std::vector<ShownSegment> lines;
  for (const Part& part : model.parts) {
    for (const Triangle& t : part.mesh().triangles) {
      Point ends[3];
      std::size_t known = 0;
      for (std::size_t c = 0; c < 3; ++c) {
        const Point &p = part.mesh().point(t[c]), &q = part.mesh().point(t[(c + 1) % 3]);
        const double hp = p.dot(n) - offset, hq = q.dot(n) - offset;
        if ((hp > 0) != (hq > 0)) ends[known++] = p + hp / (hp - hq) * (q - p);
      }
      if (known == 2) lines.push_back({ends[0], ends[1]});
    }
  }
  return lines;
}

double round_length(double most) {
  const double power = std::pow(10.0, std::floor(std::log10(most)));
  for (const double step : {5.0, 2.0}) {
    if (step * power <= most) return step * power;
  }
  return power;
}

}  // namespace

struct PictureStudio::Impl {
  const Model& model;
  const Inspection& inspection;
  std::string file;
  std::string verdict;
  RayScene scene;
  Box box;
  std::vector<ShownSegment> naked;

  Impl(const Model& m, const Inspection& i, std::string f, std::string v)
      : model(m),
        inspection(i),
        file(std::move(f)),
        verdict(std::move(v)),
        scene(m, i.patches),
        box(box_of(m)) {
    for (const Part& part : model.parts) {
      const Welded welded(part.mesh());
      const EdgeTable edges(welded.triangles(), welded.points().size());
      for (const EdgeId e : select_edges(edges, [&](EdgeId id) { return edges.is_naked(id); })) {
        naked.push_back({welded.point(edges.edge(e).low), welded.point(edges.edge(e).high)});
      }
    }
  }

  // The mean direction that they face; none if they face all ways.
  [[nodiscard]] Vector facing(const Finding& f) const {
    Vector sum = Vector::Zero();
    double area = 0;
    for (const TriangleId t : f.triangles) {
      const Mesh& mesh = model.parts.at(f.part_index.value_or(0)).mesh();
      const Triangle& c = mesh.triangle(t);
      const Vector n =
          (mesh.point(c[1]) - mesh.point(c[0])).cross(mesh.point(c[2]) - mesh.point(c[0]));
      sum += n;
      area += n.norm();
    }
    return sum.norm() > 0.5 * area && area > 0 ? Vector(sum.normalized()) : Vector(Vector::Zero());
  }

  [[nodiscard]] Look look_at(const PictureOptions& o, const Finding* close_up) const {
    Look look;
    look.width = o.width;
    look.height = o.height - kHead;
    Vector back = Vector(0.75, -1, 0.6).normalized();
    if (close_up != nullptr) {
      const Vector n = facing(*close_up);
      // What faces away is looked at from its own side, a little slanted.
      if (back.dot(n) < 0.35 && !n.isZero()) back = (2 * n + back - back.dot(n) * n).normalized();
    }
    if (o.section_axis) {
      const Vector axis = Vector::Unit(*o.section_axis);
      if (back.dot(axis) < 0) back -= 2 * back.dot(axis) * axis;
      look.normal = axis;
      look.offset = box.is_empty() ? 0
                                   : box.low[*o.section_axis] +
                                         o.section_at * (box.high - box.low)[*o.section_axis];
    }
    look.back = back;
    const Vector up = std::fabs(back.z()) > 0.95 ? Vector(0, 1, 0) : Vector(0, 0, 1);
    look.right = up.cross(back).normalized();
    look.up = back.cross(look.right);
    look.see_through = o.see_through || close_up != nullptr;
    Box shown = close_up != nullptr ? close_up->box : box;
    if (shown.is_empty()) return look;
    look.center = shown.center();
    double half_width = 0, half_height = 0;
    for (int corner = 0; corner < 8; ++corner) {
      Point p;
      for (int axis = 0; axis < 3; ++axis) {
        p[axis] = (corner >> axis) & 1 ? shown.high[axis] : shown.low[axis];
      }
      half_width = std::max(half_width, std::fabs((p - look.center).dot(look.right)));
      half_height = std::max(half_height, std::fabs((p - look.center).dot(look.up)));
    }
    const double least = 1e-6 * box.diagonal() + 1e-300;
    const double wanted =
        std::max(2 * half_width / (0.86 * look.width), 2 * half_height / (0.82 * look.height));
    // A point has no size: show some of what is around it.
    look.pixel =
        std::max(wanted > 0 ? wanted * (close_up != nullptr ? 1.6 : 1) : 0,
                 close_up != nullptr && wanted * 40 < least ? 1e-4 * box.diagonal() : least / 100);
    return look;
  }

  void draw_naked(const Sheet& sheet, const Look& look) const {
    cairo_t* pen = sheet.pen();
    const double dashes[] = {7, 4};
    std::vector<const ShownSegment*> drawn[2];  // seen, hidden
    for (const ShownSegment& s : naked) {
      const Point middle = 0.5 * (s.a + s.b);
      if (look.normal && middle.dot(*look.normal) > look.offset) continue;
      drawn[scene.is_hidden(middle, look) ? 1 : 0].push_back(&s);
    }
    for (const bool hidden : {true, false}) {
      cairo_set_dash(pen, dashes, 2, 0);
      cairo_set_line_width(pen, hidden ? 1.2 : 2.6);
      sheet.colour(palette::kThread, hidden ? 0.45 : 1);
      for (const ShownSegment* s : drawn[hidden ? 1 : 0]) draw_line(sheet, look, *s);
      cairo_stroke(pen);
    }
    cairo_set_dash(pen, nullptr, 0, 0);
  }

  void draw_scale(const Sheet& sheet, const Look& look, int width, int height) const {
    cairo_t* pen = sheet.pen();
    const double length = round_length(150 * look.pixel);
    const double right = width - 20, left = right - length / look.pixel, y = height - 18;
    sheet.colour(palette::kInk);
    cairo_set_line_width(pen, 2);
    cairo_move_to(pen, left, y - 6);
    cairo_line_to(pen, left, y);
    cairo_line_to(pen, right, y);
    cairo_line_to(pen, right, y - 6);
    cairo_stroke(pen);
    const std::string words = brief(length) + " " + std::string(symbol(model.unit));
    sheet.text(words, 0.5 * (left + right) - 0.5 * sheet.width_of(words, 13), y - 10, 13);
    const double fx = width - 48, fy = y - 66;
    for (int axis = 0; axis < 3; ++axis) {
      const double dx = look.right[axis], dy = -look.up[axis];
      cairo_move_to(pen, fx, fy);
      cairo_line_to(pen, fx + 24 * dx, fy + 24 * dy);
      cairo_stroke(pen);
      sheet.text(std::string(1, "xyz"[axis]), fx + 33 * dx - 4, fy + 33 * dy + 4, 12);
    }
  }

  void draw_ring(const Sheet& sheet, const Look& look, const Point& p) const {
    const auto at = look.on_screen(p);
    cairo_t* pen = sheet.pen();
    for (const bool rim : {true, false}) {
      sheet.colour(rim ? palette::kPanel : palette::kMark);
      cairo_set_line_width(pen, rim ? 6 : 2.5);
      cairo_new_path(pen);
      cairo_arc(pen, at[0], at[1] + kHead, 15, 0, kTau);
      cairo_stroke(pen);
    }
  }

  // How many of each kind there are, worst first.
  void draw_legend(const Sheet& sheet, int height) const {
    std::vector<std::pair<const Finding*, std::size_t>> rows;
    for (const Finding& f : inspection.findings) {
      const auto at = std::find_if(rows.begin(), rows.end(),
                                   [&](const auto& r) { return r.first->kind == f.kind; });
      if (at == rows.end()) {
        rows.emplace_back(&f, 1);
      } else {
        ++at->second;
      }
    }
    constexpr std::size_t kMostRows = 12;
    const std::size_t shown = std::min(rows.size(), kMostRows);
    double y = height - 16 - 20 * static_cast<double>(shown + (naked.empty() ? 0 : 1));
    for (std::size_t i = 0; i < shown; ++i) {
      y += 20;
      draw_sign(sheet, rows[i].first->severity, 24, y - 5, 6);
      sheet.colour(palette::kInk);
      sheet.text(std::to_string(rows[i].second) + " " + std::string(slug(rows[i].first->kind)), 40,
                 y, 13);
    }
    if (naked.empty()) return;
    y += 20;
    const double dashes[] = {7, 4};
    sheet.colour(palette::kThread);
    cairo_set_dash(sheet.pen(), dashes, 2, 0);
    cairo_set_line_width(sheet.pen(), 2.6);
    cairo_move_to(sheet.pen(), 12, y - 5);
    cairo_line_to(sheet.pen(), 36, y - 5);
    cairo_stroke(sheet.pen());
    cairo_set_dash(sheet.pen(), nullptr, 0, 0);
    sheet.colour(palette::kInk);
    sheet.text("naked edges", 42, y, 13);
  }

  [[nodiscard]] std::string png(const PictureOptions& o) const {
    const Finding* const close_up = o.finding ? &inspection.findings.at(*o.finding) : nullptr;
    const Look look = look_at(o, close_up);
    std::vector<bool> chosen(triangle_count(model));
    if (close_up != nullptr) {
      for (const std::size_t t : model_triangles(model, *close_up)) chosen[t] = true;
    }
    Sheet sheet(o.width, o.height);
    sheet.colour(palette::kPanel);
    cairo_paint(sheet.pen());
    sheet.put(scene.render(look, chosen), look.width, look.height, kHead);
    cairo_rectangle(sheet.pen(), 0, kHead, o.width, look.height);
    cairo_clip(sheet.pen());
    draw_naked(sheet, look);
    if (look.normal) {
      for (const ShownSegment& s : cut_lines(model, *look.normal, look.offset)) {
        draw_line(sheet, look, s);
      }
      sheet.colour(palette::kMark);
      cairo_set_line_width(sheet.pen(), 2.5);
      cairo_stroke(sheet.pen());
    }
    if (close_up != nullptr) {
      draw_ring(sheet, look, close_up->place);
    } else {
      constexpr std::size_t kMostSigns = 300;
      for (std::size_t i = std::min(inspection.findings.size(), kMostSigns); i-- > 0;) {
        const Finding& f = inspection.findings[i];
        const auto at = look.on_screen(f.place);
        // What lies behind the surface is pale.
        draw_sign(sheet, f.waived ? Severity::note : f.severity, at[0], at[1] + kHead, 6,
                  scene.is_hidden(f.place, look) ? 0.35 : 1);
      }
      draw_legend(sheet, o.height);
    }
    draw_scale(sheet, look, o.width, o.height);
    cairo_reset_clip(sheet.pen());
    draw_title(sheet, close_up);
    return sheet.png();
  }

  void draw_title(const Sheet& sheet, const Finding* close_up) const {
    sheet.colour(palette::kSoft);
    sheet.text(file, 16, 20, 12);
    sheet.colour(palette::kInk);
    if (close_up == nullptr) {
      sheet.text(verdict, 16, 46, 19, true);
      return;
    }
    const KindInfo& kind = info(close_up->kind);
    draw_sign(sheet, close_up->severity, 25, 40, 7);
    const std::string unit = kind.measures == Dimension::angle    ? " deg"
                             : kind.measures == Dimension::area   ? " " + unit_text() + "\u00b2"
                             : kind.measures == Dimension::volume ? " " + unit_text() + "\u00b3"
                             : kind.measures == Dimension::length ? " " + unit_text()
                                                                  : "";
    sheet.colour(palette::kInk);
    sheet.text(
        fmt::format("{}: {} {}{}", kind.slug, kind.measure_name, brief(close_up->measure), unit),
        42, 44, 16, true);
    sheet.colour(palette::kSoft);
    sheet.text(fmt::format("at {} · {} · what mends it: {}", brief(close_up->place), kind.what,
                           kind.remedy),
               42, 60, 12);
  }
  [[nodiscard]] std::string unit_text() const { return std::string(symbol(model.unit)); }
};

PictureStudio::PictureStudio(const Model& model, const Inspection& inspection, std::string file,
                             std::string verdict)
    : impl_(std::make_unique<Impl>(model, inspection, std::move(file), std::move(verdict))) {}
PictureStudio::~PictureStudio() = default;

std::string PictureStudio::png(const PictureOptions& options) const {
  constexpr int kMost = 10000;
  if (options.width < 320 || options.height < 200 || options.width > kMost ||
      options.height > kMost) {
    throw ArgumentError("picture: expected a size from 320x200 to 10000x10000 pixels");
  }
  if (options.finding && *options.finding >= impl_->inspection.findings.size()) {
    throw ArgumentError("picture: no such finding");
  }
  if (options.section_axis && (*options.section_axis < 0 || *options.section_axis > 2)) {
    throw ArgumentError("picture: expected axis 0, 1 or 2");
  }
  return impl_->png(options);
}

}  // namespace aguja
