// Files cut at every byte, and with bytes changed at random: refused with a clear error, or read;
// never a crash, never a large allocation.

#include <filesystem>

#include <gtest/gtest.h>

#include "tests/support/files.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace damaged_files_test {

using test::written;

std::vector<std::pair<std::string, std::string>> sample_files() {
  Model model = test::model_of(test::cube({0.1, 0, 0}), "test");
  test::edit(model, [](Mesh& mesh) { mesh.wires.push_back({VertexId{0}, VertexId{7}}); });
  std::vector<std::pair<std::string, std::string>> files;
  for (const Format format : all_formats()) {
    for (const bool text : {false, true}) {
      files.emplace_back(std::string(slug(format)) + (text ? " text" : ""),
                         written(model, format, {text}));
    }
  }
  return files;
}

void expect_sound(const Model& model) {
  for (const Part& part : model.parts) {
    for (const Point& p : part.mesh().points) ASSERT_TRUE(p.allFinite());
    for (const Triangle& t : part.mesh().triangles) {
      for (const VertexId v : t.corner) ASSERT_LT(v.value, part.mesh().points.size());
    }
  }
}

constexpr std::size_t kTail = 6;

TEST(DamagedFiles, EveryShortenedFileIsRefusedOrSaidToBeWholeByItsFormat) {
  for (const auto& [name, bytes] : sample_files()) {
    SCOPED_TRACE(name);
    const Model whole = test::read_text(bytes, "test." + name.substr(0, 3));
    std::size_t refused = 0;
    for (std::size_t size = 0; size < bytes.size(); ++size) {
      try {
        const Model model = read_model(Source{"test." + name.substr(0, 3), bytes.substr(0, size)});
        // OBJ declares no counts: any prefix that ends between two statements, or within a number,
        // is an OBJ file. Of the others only the end of the last number, or of the name behind
        // `endsolid`, may go.
        if (name.starts_with("obj")) continue;
        ASSERT_GE(size + kTail, bytes.size()) << "cut at " << size;
        ASSERT_EQ(triangle_count(model), triangle_count(whole));
      } catch (const InputError& error) {
        ++refused;
        ASSERT_FALSE(error.details().text.empty());
      }
    }
    if (!name.starts_with("obj")) {
      EXPECT_GE(refused + kTail, bytes.size());
    }
  }
}

TEST(DamagedFiles, ChangedBytesNeverDoWorseThanAnError) {
  std::size_t refused = 0, read = 0;
  for (const auto& [name, bytes] : sample_files()) {
    for (std::uint64_t seed = 1; seed <= 1500; ++seed) {
      test::Random random(seed);
      std::string changed = bytes;
      for (std::size_t i = 0; i < 1 + random.index(3); ++i) {
        changed[random.index(changed.size())] = static_cast<char>(random.index(256));
      }
      try {
        const Model model = read_model(Source{"test." + name.substr(0, 3), changed});
        expect_sound(model);
        ++read;
      } catch (const InputError&) {
        ++refused;
      }
    }
  }
  EXPECT_GE(refused, 1000u);
  EXPECT_GE(read, 1000u);
}

TEST(DamagedFiles, WhatFuzzingKeptIsReadOrRefused) {
  std::size_t read = 0;
  for (const auto& entry :
       std::filesystem::recursive_directory_iterator(AGUJA_SOURCE_DIR "/fuzz/corpus")) {
    if (!entry.is_regular_file()) continue;
    SCOPED_TRACE(entry.path().string());
    try {
      expect_sound(read_model(entry.path()));
      ++read;
    } catch (const InputError&) {
    }
  }
  EXPECT_GE(read, 10u);
}

TEST(DamagedFiles, CountsThatTheBytesCannotHoldReserveNothing) {
  const std::string four_billion = "4294967295";
  for (const std::string& text :
       {"OFF\n" + four_billion + " 1 0\n0 0 0\n",
        "OFF\n3 " + four_billion + " 0\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n",
        "ply\nformat ascii 1.0\nelement vertex " + four_billion +
            "\nproperty float x\nproperty float y\nproperty float z\nend_header\n0 0 0\n",
        "ply\nformat binary_little_endian 1.0\nelement vertex " + four_billion +
            "\nproperty float x\nproperty float y\nproperty float z\nend_header\n0000",
        "ply\nformat binary_little_endian 1.0\nelement face " + four_billion +
            "\nproperty list uint uint vertex_indices\nend_header\n\xff\xff\xff\xff"}) {
    EXPECT_NE(test::error_of(text), "no error") << text;
  }
  std::string stl(84, '\0');
  for (std::size_t i = 80; i < 84; ++i) stl[i] = '\xff';
  EXPECT_EQ(test::error_of(stl, "pod.stl"),
            "pod.stl: byte 80: 4294967295 triangles are declared (214748364750 bytes), but 0 bytes "
            "follow; 0 are whole");
}

TEST(DamagedFiles, EveryErrorHasAStableSlug) {
  EXPECT_EQ(slug(InputProblem::not_readable), "not-readable");
  EXPECT_EQ(slug(InputProblem::too_large), "too-large");
}

}  // namespace damaged_files_test
}  // namespace aguja
