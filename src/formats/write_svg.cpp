#include <algorithm>
#include <cmath>
#include <pugixml.hpp>
#include <sstream>

#include <Eigen/Geometry>

#include "aguja/formats/section_files.h"
#include "formats/output.h"

namespace aguja {
namespace {

// The plane's own axes: along coordinate axes where it is square to one, so that what is up stays up.
struct DrawingAxes {
  Vector right, up;
};
DrawingAxes axes_of(const CutPlane& plane) {
  const Vector normal = plane.normal.stableNormalized();
  // Up is z as far as it can be, else y.
  constexpr double kNearlyAlong = 0.99;
  const Vector wish =
      std::fabs(normal.z()) > kNearlyAlong ? Vector(Vector::UnitY()) : Vector(Vector::UnitZ());
  const Vector up = (wish - wish.dot(normal) * normal).normalized();
  return {up.cross(normal), up};
}

std::string decimals(double value) {
  constexpr double kSteps = 1e4;
  std::string text;
  detail::append_number(text, std::round(value * kSteps) / kSteps);
  return text;
}

// Sections in one plane, in place.
struct Drawing {
  std::string name;
  std::vector<const PartSection*> sections;
  std::vector<std::string> paths;  // in millimetres from the upper left corner
  double width = 0, height = 0;
};

void draw(Drawing& drawing, double to_mm) {
  const DrawingAxes axes = axes_of(drawing.sections[0]->section.plane);
  double left = HUGE_VAL, right = -HUGE_VAL, low = HUGE_VAL, high = -HUGE_VAL;
  const auto x_of = [&](const Point& p) { return to_mm * axes.right.dot(p); };
  const auto y_of = [&](const Point& p) { return to_mm * axes.up.dot(p); };
  for (const PartSection* s : drawing.sections) {
    for (const SectionOutline& o : s->section.outlines) {
      for (const Point& p : o.points) {
        left = std::min(left, x_of(p));
        right = std::max(right, x_of(p));
        low = std::min(low, y_of(p));
        high = std::max(high, y_of(p));
      }
    }
  }
  drawing.width = std::max(0.0, right - left);
  drawing.height = std::max(0.0, high - low);
  for (const PartSection* s : drawing.sections) {
    std::string path;
    for (const SectionOutline& o : s->section.outlines) {
      for (std::size_t i = 0; i < o.points.size(); ++i) {
        path += (i == 0 ? "M" : "L") + decimals(x_of(o.points[i]) - left) + " " +
                decimals(high - y_of(o.points[i]));
      }
      if (o.is_closed) path += "Z";
    }
    drawing.paths.push_back(std::move(path));
  }
}

std::vector<Drawing> drawings_of(std::span<const PartSection> sections, double to_mm) {
  std::vector<Drawing> drawings;
  for (const PartSection& s : sections) {
    auto own = std::find_if(drawings.begin(), drawings.end(),
                            [&](const Drawing& d) { return d.name == s.cutter; });
    if (own == drawings.end()) own = drawings.insert(own, Drawing{s.cutter, {}, {}, 0, 0});
    own->sections.push_back(&s);
  }
  for (Drawing& d : drawings) draw(d, to_mm);
  return drawings;
}

std::string facts_of_section(const PartSection& s, LengthUnit unit) {
  std::ostringstream facts;
  facts << s.part << ": ";
  if (!s.section.is_open()) facts << "area " << s.section.area << " " << symbol(unit) << "², ";
  facts << "length " << s.section.length << " " << symbol(unit);
  return facts.str();
}

void add_text(pugi::xml_node parent, double x, double y, double size, const std::string& words) {
  pugi::xml_node text = parent.append_child("text");
  text.append_attribute("x") = decimals(x).c_str();
  text.append_attribute("y") = decimals(y).c_str();
  text.append_attribute("font-family") = "sans-serif";
  text.append_attribute("font-size") = decimals(size).c_str();
  text.text() = words.c_str();
}

}  // namespace

void write_sections_svg(const ByteSink& sink, std::span<const PartSection> sections,
                        LengthUnit unit) {
  constexpr double kMillimetres = 1e3;
  const double to_mm = kMillimetres * metres_per(unit);
  const std::vector<Drawing> drawings = drawings_of(sections, to_mm);
  double largest = 0;
  for (const Drawing& d : drawings) largest = std::max({largest, d.width, d.height});
  // Sizes of what is written and of margins follow the drawing.
  constexpr double kTextPart = 0.035, kLinePart = 0.003, kMarginPart = 0.08;
  constexpr double kLineHeight = 1.4, kLetterWidth = 0.55;
  const double size = kTextPart * largest, margin = kMarginPart * largest;
  pugi::xml_document document;
  pugi::xml_node svg = document.append_child("svg");
  svg.append_attribute("xmlns") = "http://www.w3.org/2000/svg";
  double x = margin, bottom = 0;
  for (const Drawing& d : drawings) {
    pugi::xml_node group = svg.append_child("g");
    group.append_attribute("transform") =
        ("translate(" + decimals(x) + " " + decimals(margin) + ")").c_str();
    double width = d.width, y = d.height + 2 * size;
    const auto write = [&](const std::string& words) {
      add_text(group, 0, y, size, words);
      y += kLineHeight * size;
      // Words may be wider than what they stand under.
      width = std::max(width, kLetterWidth * size * static_cast<double>(words.size()));
    };
    for (std::size_t i = 0; i < d.sections.size(); ++i) {
      pugi::xml_node path = group.append_child("path");
      path.append_attribute("d") = d.paths[i].c_str();
      path.append_attribute("fill") = d.sections[i]->section.is_open() ? "none" : "#c9d3dc";
      path.append_attribute("fill-rule") = "evenodd";
      path.append_attribute("stroke") = "#1d2b38";
      path.append_attribute("stroke-width") = decimals(kLinePart * largest).c_str();
    }
    write(d.name);
    for (const PartSection* s : d.sections) write(facts_of_section(*s, unit));
    x += width + margin;
    bottom = std::max(bottom, margin + y);
  }
  const std::string width = decimals(x), height = decimals(bottom);
  svg.prepend_attribute("viewBox") = ("0 0 " + width + " " + height).c_str();
  svg.prepend_attribute("height") = (height + "mm").c_str();
  svg.prepend_attribute("width") = (width + "mm").c_str();
  std::ostringstream text;
  document.save(text, " ");
  sink(text.str());
}

}  // namespace aguja
