// Every reader and writer pair: what was read can be written back bit for bit.

#include <gtest/gtest.h>

#include <limits>

#include "aguja/base/printable.h"
#include "aguja/formats/format.h"
#include "tests/support/files.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace round_trip_test {

using test::Random;
using test::written;

// Doubles of all magnitudes, signed zeros and subnormals among them.
double any_double(Random& random) {
  while (true) {
    double x = 0;
    switch (random.index(5)) {
      case 0:
        x = random.between(-1000, 1000);
        break;
      case 1:
        x = random.chance(0.5) ? 0.0 : -0.0;
        break;
      case 2:
        x = static_cast<double>(random.index(1000)) / 8;
        break;
      case 3:
        x = std::numeric_limits<double>::denorm_min() * static_cast<double>(random.index(9));
        break;
      default:
        x = std::bit_cast<double>(random.bits());
        break;
    }
    if (std::isfinite(x)) return x;
  }
}

// Points in the order in which triangles use them first, none unused: what formats without a point
// list can hold.
Mesh in_order_of_use(const Mesh& mesh) {
  Mesh result;
  std::vector<std::uint32_t> renumbered(mesh.points.size(), kNoIndex);
  for (Triangle t : mesh.triangles) {
    for (VertexId& v : t.corner) {
      if (renumbered[v.value] == kNoIndex) {
        renumbered[v.value] = static_cast<std::uint32_t>(result.points.size());
        result.points.push_back(mesh.points[v.value]);
      }
      v = {renumbered[v.value]};
    }
    result.triangles.push_back(t);
  }
  return result;
}

Model random_model(std::uint64_t seed, bool floats) {
  Random random(seed);
  Mesh mesh = test::damaged_mesh(seed);
  for (Point& p : mesh.points) {
    for (int axis = 0; axis < 3; ++axis) {
      double x = any_double(random);
      if (floats) {
        const auto rounded = static_cast<float>(x);
        x = std::isfinite(rounded) ? static_cast<double>(rounded) : 1.5;
      }
      p[axis] = x;
    }
  }
  return test::model_of(std::move(mesh), "test");
}

TEST(RoundTrip, TextFormatsGiveBackEveryDouble) {
  for (std::uint64_t seed = 1; seed <= 200; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    const Model model = random_model(seed, false);
    for (const Format format : {Format::obj, Format::ply, Format::off}) {
      test::expect_same(test::read_text(written(model, format, {.text = true})), model);
    }
    if (HasFailure()) return;
  }
}

TEST(RoundTrip, BinaryPlyGivesBackEveryDouble) {
  for (std::uint64_t seed = 1; seed <= 200; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    for (const bool floats : {false, true}) {
      const Model model = random_model(seed, floats);
      test::expect_same(test::read_text(written(model, Format::ply)), model);
    }
    if (HasFailure()) return;
  }
}

TEST(RoundTrip, StlGivesBackEveryCornerAndTheSameBytes) {
  for (std::uint64_t seed = 1; seed <= 200; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    for (const bool text : {false, true}) {
      const Model model = random_model(seed, !text);
      const std::string bytes = written(model, Format::stl, {text});
      const Model back = test::read_text(bytes);
      ASSERT_EQ(back.parts.size(), 1u);
      const Mesh &a = model.parts[0].mesh(), &b = back.parts[0].mesh();
      ASSERT_EQ(a.triangles.size(), b.triangles.size());
      for (std::size_t t = 0; t < a.triangles.size(); ++t) {
        for (std::size_t c = 0; c < 3; ++c) {
          ASSERT_EQ(std::memcmp(a.point(a.triangles[t][c]).data(),
                                b.point(b.triangles[t][c]).data(), sizeof(Point)),
                    0);
        }
      }
      ASSERT_EQ(written(back, Format::stl, {text}), bytes);
    }
  }
}

TEST(RoundTrip, BinaryStlKeepsHeaderNormalsAndAttributesOnRequest) {
  std::string bytes = written(test::model_of(test::sphere(6), "test"), Format::stl);
  Random random(3);
  for (std::size_t i = 0; i < 80; ++i) bytes[i] = static_cast<char>(random.index(256));
  for (std::size_t at = 84; at < bytes.size(); at += 50) {
    for (std::size_t i = 0; i < 3; ++i) {
      const auto x = static_cast<float>(random.between(-1, 1));
      std::memcpy(bytes.data() + at + 4 * i, &x, 4);
    }
    bytes[at + 48] = static_cast<char>(random.index(256));
    bytes[at + 49] = static_cast<char>(random.index(256));
  }
  const Model kept = read_stl(Source{"test", bytes}, {.keep_facet_records = true});
  EXPECT_EQ(written(kept, Format::stl), bytes);
  EXPECT_NE(written(read_stl(Source{"test", bytes}), Format::stl), bytes);
}

TEST(RoundTrip, NamesOfAnyBytesBreakNoLineAndAreReadBackPrintable) {
  Random random(11);
  for (int round = 0; round < 400; ++round) {
    std::string name(1 + random.index(12), ' ');
    for (char& c : name)
      c = static_cast<char>(random.chance(0.5) ? random.bits() : 'a' + random.index(26));
    if (random.chance(0.2)) name += "\\";
    if (random.chance(0.2)) name += "\nv 1 2 3\nf 1 1 1";
    // As a writer of another kind would put it, and as ours does.
    std::string line = name.substr(0, name.find_first_of("\r\n"));
    const std::string foreign = "solid " + line +
                                "\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\n"
                                "vertex 0 1 0\nendloop\nendfacet\nendsolid " +
                                line + "\n";
    const Model read = test::read_text(foreign);
    ASSERT_EQ(triangle_count(read), 1u) << round;
    EXPECT_TRUE(is_printable(read.parts[0].name));
    Mesh mesh = test::sphere(3);
    mesh.patch_of.assign(mesh.triangles.size(), PatchId{0});
    PartDraft draft{name, Shape{}};
    draft.mesh = mesh;
    draft.patch_names = {name};
    Model model;
    model.parts.emplace_back(std::move(draft));
    for (const Format format : {Format::stl, Format::obj}) {
      const Model back = test::read_text(written(model, format, {.text = true}));
      ASSERT_EQ(back.parts.size(), 1u) << round;
      ASSERT_EQ(triangle_count(back), mesh.triangles.size());
      EXPECT_TRUE(is_printable(back.parts[0].name));
      EXPECT_TRUE(back.notes.empty());
    }
  }
}

TEST(RoundTrip, WhatOfNamesCannotBeShownIsTold) {
  const Model model = test::read_text("o a\x1b[31m\ng b\x07\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n");
  EXPECT_EQ(model.parts[0].name, "a\xEF\xBF\xBD[31m");
  EXPECT_EQ(model.parts[0].patch_names(), std::vector<std::string>{"b\xEF\xBF\xBD"});
  ASSERT_EQ(model.notes.size(), 1u);
  EXPECT_EQ(model.notes[0].rfind("2 names hold", 0), 0u);
}

TEST(RoundTrip, ObjKeepsPartsPatchesAndWires) {
  for (std::uint64_t seed = 1; seed <= 100; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    Random random(seed);
    Model model;
    for (std::size_t p = 0; p < 1 + random.index(4); ++p) {
      PartDraft part;
      part.name = "part " + std::to_string(p);
      part.mesh = in_order_of_use(test::damaged_mesh(seed * 7 + p));
      if (part.mesh.triangles.empty()) continue;
      part.patch_names = {"top", "side"};
      for (std::size_t t = 0; t < part.mesh.triangles.size(); ++t) {
        part.mesh.patch_of.push_back({t < part.mesh.triangles.size() / 2 ? 0u : 1u});
      }
      if (part.mesh.triangles.size() < 2) part.patch_names = {"side"}, part.mesh.patch_of[0] = {0};
      part.mesh.wires.push_back({VertexId{0}, VertexId{1}});
      model.parts.emplace_back(std::move(part));
    }
    if (model.parts.empty()) continue;
    const Model back = test::read_text(written(model, Format::obj));
    test::expect_same(back, model);
    for (std::size_t p = 0; p < model.parts.size() && !HasFailure(); ++p) {
      EXPECT_EQ(back.parts[p].patch_names(), model.parts[p].patch_names());
      EXPECT_EQ(back.parts[p].mesh().patch_of, model.parts[p].mesh().patch_of);
    }
    if (HasFailure()) return;
  }
}

TEST(RoundTrip, AsciiStlKeepsItsSolids) {
  Model model = test::model_of(in_order_of_use(test::cube()), "left side");
  model.parts.emplace_back("right", in_order_of_use(test::cube({5, 0, 0.1})));
  test::expect_same(test::read_text(written(model, Format::stl, {.text = true})), model);
}

TEST(RoundTrip, LargeFilesThatAreReadInPiecesToo) {
  const Model model = test::model_of(in_order_of_use(test::sphere(120, 1 / 3.0)), "test");
  for (const Format format : all_formats()) {
    SCOPED_TRACE(slug(format));
    const std::string bytes = written(model, format, {.text = true});
    ASSERT_GT(bytes.size(), std::size_t{3} << 18);
    test::expect_same(test::read_text(bytes), model);
  }
}

}  // namespace round_trip_test
}  // namespace aguja
