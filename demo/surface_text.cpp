#include "demo/surface_text.h"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <numbers>

namespace aguja::demo {
namespace {

// A number that reads back to the same double, with the point that both formats ask for.
std::string real(double x) {
  char buffer[40];
  const auto end = std::to_chars(buffer, buffer + sizeof(buffer), x).ptr;
  std::string text(buffer, end);
  const std::size_t e = text.find('e');
  if (text.find('.') == std::string::npos)
    text.insert(e == std::string::npos ? text.size() : e, ".");
  const std::size_t at = text.find('e');
  if (at != std::string::npos) text[at] = 'E';
  return text;
}

// ---- STEP.

class StepWriter {
 public:
  std::string write(const DrawnBody& body, const StepStyle& style) {
    const std::string context =
        add("(GEOMETRIC_REPRESENTATION_CONTEXT(3)GLOBAL_UNCERTAINTY_ASSIGNED_CONTEXT((" +
            add("UNCERTAINTY_MEASURE_WITH_UNIT(LENGTH_MEASURE(1.E-6)," + length_unit() +
                ",'distance_accuracy_value','')") +
            "))GLOBAL_UNIT_ASSIGNED_CONTEXT((" + length_unit() + "," + angle_unit() + "," +
            solid_angle_unit() + "))REPRESENTATION_CONTEXT('',''))");
    const std::string product =
        add("PRODUCT('" + body.name + "','" + body.name + "','',(" +
            add("PRODUCT_CONTEXT(''," + application() + ",'mechanical')") + "))");
    const std::string definition = add(
        "PRODUCT_DEFINITION('',''," + add("PRODUCT_DEFINITION_FORMATION('',''," + product + ")") +
        "," + add("PRODUCT_DEFINITION_CONTEXT('part definition'," + application() + ",'design')") +
        ")");
    const std::string shape = add("PRODUCT_DEFINITION_SHAPE('',''," + definition + ")");
    std::vector<std::string> shells;
    for (const auto& faces : body.shells) {
      std::string list;
      for (const int f : faces)
        list += (list.empty() ? "" : ",") + face(body, body.faces[static_cast<std::size_t>(f)], f);
      shells.push_back(add((style.solid ? "CLOSED_SHELL('',(" : "OPEN_SHELL('',(") + list + "))"));
    }
    std::string item;
    if (!style.solid) {
      std::string list;
      for (const std::string& s : shells) list += (list.empty() ? "" : ",") + s;
      item = add("SHELL_BASED_SURFACE_MODEL('" + body.name + "',(" + list + "))");
    } else if (shells.size() == 1) {
      item = add("MANIFOLD_SOLID_BREP('" + body.name + "'," + shells[0] + ")");
    } else {
      std::string voids;
      for (std::size_t i = 1; i < shells.size(); ++i)
        voids += (i == 1 ? "" : ",") + add("ORIENTED_CLOSED_SHELL('',*," + shells[i] + ",.F.)");
      item = add("BREP_WITH_VOIDS('" + body.name + "'," + shells[0] + ",(" + voids + "))");
    }
    const std::string representation =
        add(std::string(style.solid ? "ADVANCED_BREP_SHAPE_REPRESENTATION"
                                    : "MANIFOLD_SURFACE_SHAPE_REPRESENTATION") +
            "('',"
            "(" +
            frame(Frame{}) + "," + item + ")," + context + ")");
    add("SHAPE_DEFINITION_REPRESENTATION(" + shape + "," + representation + ")");
    return "ISO-10303-21;\nHEADER;\nFILE_DESCRIPTION((''),'2;1');\nFILE_NAME('" + body.name +
           "','1970-01-01T00:00:00',(''),(''),'','','');\nFILE_SCHEMA(('AUTOMOTIVE_DESIGN'));"
           "\nENDSEC;\nDATA;\n" +
           data_ + "ENDSEC;\nEND-ISO-10303-21;\n";
  }

 private:
  std::string add(const std::string& text) {
    std::string number = "#" + std::to_string(++last_);
    data_ += number + "=" + text + ";\n";
    return number;
  }
  std::string once(std::string& kept, const std::string& text) {
    return kept.empty() ? kept = add(text) : kept;
  }
  std::string application() {
    return once(application_, "APPLICATION_CONTEXT('automotive design')");
  }
  std::string length_unit() {
    return once(length_, "(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT(.MILLI.,.METRE.))");
  }
  std::string angle_unit() {
    return once(angle_, "(NAMED_UNIT(*)PLANE_ANGLE_UNIT()SI_UNIT($,.RADIAN.))");
  }
  std::string solid_angle_unit() {
    return once(solid_angle_, "(NAMED_UNIT(*)SI_UNIT($,.STERADIAN.)SOLID_ANGLE_UNIT())");
  }

  static std::string triple(const Point& p) {
    return "(" + real(p.x()) + "," + real(p.y()) + "," + real(p.z()) + ")";
  }
  std::string point(const Point& p) { return add("CARTESIAN_POINT(''," + triple(p) + ")"); }
  std::string direction(const Vector& d) { return add("DIRECTION(''," + triple(d) + ")"); }
  std::string frame(const Frame& f) {
    return add("AXIS2_PLACEMENT_3D(''," + point(f.origin) + "," + direction(f.z) + "," +
               direction(f.x) + ")");
  }
  std::string surface(const DrawnSurface& s) {
    const std::string at = frame(s.frame);
    switch (s.kind) {
      case DrawnSurface::Kind::plane:
        return add("PLANE(''," + at + ")");
      case DrawnSurface::Kind::cylinder:
        return add("CYLINDRICAL_SURFACE(''," + at + "," + real(s.radius) + ")");
      case DrawnSurface::Kind::cone:
        return add("CONICAL_SURFACE(''," + at + "," + real(s.radius) + "," + real(s.second) + ")");
      case DrawnSurface::Kind::sphere:
        return add("SPHERICAL_SURFACE(''," + at + "," + real(s.radius) + ")");
      case DrawnSurface::Kind::torus:
        return add("TOROIDAL_SURFACE(''," + at + "," + real(s.radius) + "," + real(s.second) + ")");
    }
    return {};
  }
  std::string vertex(const DrawnBody& body, int v) {
    vertices_.resize(body.vertices.size());
    return once(vertices_[static_cast<std::size_t>(v)],
                "VERTEX_POINT(''," + point(body.vertices[static_cast<std::size_t>(v)]) + ")");
  }
  std::string edge(const DrawnBody& body, int number) {
    edges_.resize(body.edges.size());
    std::string& kept = edges_[static_cast<std::size_t>(number)];
    if (!kept.empty()) return kept;
    const DrawnEdge& e = body.edges[static_cast<std::size_t>(number)];
    std::string curve;
    if (e.curve.kind == DrawnCurve::Kind::line) {
      const Point a = body.vertices[static_cast<std::size_t>(e.start)],
                  b = body.vertices[static_cast<std::size_t>(e.end)];
      const double length = (b - a).norm();
      curve = add("LINE(''," + point(a) + "," +
                  add("VECTOR(''," + direction((b - a) / length) + "," + real(length) + ")") + ")");
    } else {
      curve = add("CIRCLE(''," + frame(e.curve.frame) + "," + real(e.curve.radius) + ")");
    }
    const std::string a = vertex(body, e.start), b = vertex(body, e.end);
    return kept = add("EDGE_CURVE(''," + a + "," + b + "," + curve + ",.T.)");
  }
  std::string face(const DrawnBody& body, const DrawnFace& f, int number) {
    std::string bounds;
    for (std::size_t l = 0; l < f.loops.size(); ++l) {
      std::string uses;
      for (const DrawnUse& u : f.loops[l]) {
        uses += (uses.empty() ? "" : ",") +
                add("ORIENTED_EDGE('',*,*," + edge(body, u.edge) + (u.forward ? ",.T.)" : ",.F.)"));
      }
      const std::string loop = add("EDGE_LOOP('',(" + uses + "))");
      bounds += (bounds.empty() ? "" : ",") +
                add((l == 0 ? "FACE_OUTER_BOUND(''," : "FACE_BOUND('',") + loop + ",.T.)");
    }
    return add("ADVANCED_FACE('face " + std::to_string(number) + "',(" + bounds + ")," +
               surface(f.surface) + (f.same_sense ? ",.T.)" : ",.F.)"));
  }

  std::string data_, application_, length_, angle_, solid_angle_;
  int last_ = 0;
  std::vector<std::string> vertices_, edges_;
};

// ---- IGES.

class IgesWriter {
 public:
  std::string write(const DrawnBody& body) {
    for (const DrawnFace& f : body.faces) {
      const int base = surface(f.surface);
      std::vector<int> loops;
      for (const auto& loop : f.loops) {
        std::string parts;
        for (const DrawnUse& u : loop)
          parts += "," + std::to_string(
                             curve(body, body.edges[static_cast<std::size_t>(u.edge)], u.forward));
        const int whole = add(102, 0, "102," + std::to_string(loop.size()) + parts, 0, true);
        loops.push_back(add(142, 0,
                            "142,0," + std::to_string(base) + ",0," + std::to_string(whole) + ",2",
                            0, true));
      }
      std::string text = "144," + std::to_string(base) + ",1," + std::to_string(loops.size() - 1) +
                         "," + std::to_string(loops[0]);
      for (std::size_t i = 1; i < loops.size(); ++i) text += "," + std::to_string(loops[i]);
      add(144, 0, text, 0, false);
    }
    return finish(body.name);
  }

 private:
  // An entity with its directory entry; gives the entry's number.
  int add(int type, int form, const std::string& text, int matrix, bool dependent) {
    const int number = 2 * count_++ + 1;
    const int first = lines_ + 1;
    std::string rest = text + ";";
    int used = 0;
    while (!rest.empty()) {
      // A line ends behind a comma.
      std::size_t cut = rest.size();
      if (cut > 64) cut = rest.rfind(',', 63) + 1;
      std::string line = rest.substr(0, cut);
      rest.erase(0, cut);
      line.resize(64, ' ');
      parameters_ += line + right(number, 8) + "P" + right(++lines_, 7) + "\n";
      ++used;
    }
    const std::string status = dependent ? "00010000" : "00000000";
    directory_ += right(type, 8) + right(first, 8) + right(0, 8) + right(1, 8) + right(0, 8) +
                  right(0, 8) + right(matrix, 8) + right(0, 8) + status + "D" + right(number, 7) +
                  "\n" + right(type, 8) + right(0, 8) + right(0, 8) + right(used, 8) +
                  right(form, 8) + std::string(16, ' ') + std::string(8, ' ') + right(0, 8) + "D" +
                  right(number + 1, 7) + "\n";
    return number;
  }
  static std::string right(int x, std::size_t width) {
    std::string text = std::to_string(x);
    return std::string(width - std::min(width, text.size()), ' ') + text;
  }
  static std::string triple(const Point& p) {
    return real(p.x()) + "," + real(p.y()) + "," + real(p.z());
  }
  int point(const Point& p) { return add(116, 0, "116," + triple(p) + ",0", 0, true); }
  int direction(const Vector& d) { return add(123, 0, "123," + triple(d), 0, true); }

  int surface(const DrawnSurface& s) {
    const std::string at = std::to_string(point(s.frame.origin)),
                      z = std::to_string(direction(s.frame.z)),
                      x = std::to_string(direction(s.frame.x));
    switch (s.kind) {
      case DrawnSurface::Kind::plane:
        return add(190, 1, "190," + at + "," + z + "," + x, 0, true);
      case DrawnSurface::Kind::cylinder:
        return add(192, 1, "192," + at + "," + z + "," + real(s.radius) + "," + x, 0, true);
      case DrawnSurface::Kind::cone:
        return add(194, 1,
                   "194," + at + "," + z + "," + real(s.radius) + "," +
                       real(s.second * 180 / std::numbers::pi) + "," + x,
                   0, true);
      case DrawnSurface::Kind::sphere:
        return add(196, 1, "196," + at + "," + real(s.radius) + "," + z + "," + x, 0, true);
      case DrawnSurface::Kind::torus:
        return add(198, 1,
                   "198," + at + "," + z + "," + real(s.radius) + "," + real(s.second) + "," + x, 0,
                   true);
    }
    return 0;
  }
  int curve(const DrawnBody& body, const DrawnEdge& e, bool forward) {
    Point a = body.vertices[static_cast<std::size_t>(e.start)],
          b = body.vertices[static_cast<std::size_t>(e.end)];
    if (!forward) std::swap(a, b);
    if (e.curve.kind == DrawnCurve::Kind::line)
      return add(110, 0, "110," + triple(a) + "," + triple(b), 0, true);
    // Arcs lie in the plane of their own x and y, and run counter-clockwise there: backwards they
    // are seen from behind.
    Frame f = e.curve.frame;
    if (!forward) f.y = -f.y, f.z = -f.z;
    const int matrix =
        add(124, 0,
            "124," + real(f.x.x()) + "," + real(f.y.x()) + "," + real(f.z.x()) + "," +
                real(f.origin.x()) + "," + real(f.x.y()) + "," + real(f.y.y()) + "," +
                real(f.z.y()) + "," + real(f.origin.y()) + "," + real(f.x.z()) + "," +
                real(f.y.z()) + "," + real(f.z.z()) + "," + real(f.origin.z()),
            0, true);
    const Point p = f.of(a), q = f.of(b);
    return add(
        100, 0,
        "100,0.,0.,0.," + real(p.x()) + "," + real(p.y()) + "," + real(q.x()) + "," + real(q.y()),
        matrix, true);
  }

  std::string finish(const std::string& name) const {
    std::string start = "a made-up part";
    start.resize(72, ' ');
    std::string global =
        "1H,,1H;," + std::to_string(name.size()) + "H" + name +
        ",8Hdemo.igs,5HAguja,1H1,32,38,6,308,15," + std::to_string(name.size()) + "H" + name +
        ",1.,2,2HMM,1,0.1,15H19700101.000000,1.E-6,1000.,,,11,0,15H19700101.000000;";
    std::string text = start + "S" + right(1, 7) + "\n";
    int lines = 0;
    while (!global.empty()) {
      std::string line = global.substr(0, 72);
      global.erase(0, std::min<std::size_t>(72, global.size()));
      line.resize(72, ' ');
      text += line + "G" + right(++lines, 7) + "\n";
    }
    text += directory_ + parameters_;
    std::string end = "S" + right(1, 7) + "G" + right(lines, 7) + "D" + right(2 * count_, 7) + "P" +
                      right(lines_, 7);
    end.resize(72, ' ');
    return text + end + "T" + right(1, 7) + "\n";
  }

  std::string directory_, parameters_;
  int count_ = 0, lines_ = 0;
};

}  // namespace

std::string step_text(const DrawnBody& body, const StepStyle& style) {
  return StepWriter().write(body, style);
}
std::string iges_text(const DrawnBody& body) { return IgesWriter().write(body); }

}  // namespace aguja::demo
