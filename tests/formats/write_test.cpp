#include "aguja/formats/write.h"

#include <filesystem>
#include <fstream>

#include <gtest/gtest.h>

#include "tests/support/files.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace write_test {

namespace fs = std::filesystem;

class Write : public testing::Test {
 protected:
  void SetUp() override {
    fs::remove_all(folder_);
    fs::create_directories(folder_);
  }
  void TearDown() override { fs::remove_all(folder_); }
  [[nodiscard]] std::size_t files() const {
    return static_cast<std::size_t>(
        std::distance(fs::directory_iterator(folder_), fs::directory_iterator()));
  }
  const fs::path folder_ =
      fs::path(testing::TempDir()) /
      (std::string("aguja-write-") + testing::UnitTest::GetInstance()->current_test_info()->name());
  const Model cube_ = test::model_of(test::cube({0.1, 0, 0}), "cube");
};

TEST_F(Write, BinaryStlSaysWhatRoundingDid) {
  const WriteReport report = write_stl([](std::string_view) {}, cube_);
  EXPECT_EQ(report.rounded_points, 8u);
  EXPECT_GT(report.largest_rounding, 0);
  EXPECT_LT(report.largest_rounding, 1e-7);
  const WriteReport exact =
      write_stl([](std::string_view) {}, test::model_of(test::cube(), "cube"));
  EXPECT_EQ(exact.rounded_points, 0u);
  EXPECT_TRUE(exact.notes.empty());
}

TEST_F(Write, BinaryStlRefusesWhatFloatCannotHold) {
  const Model huge = test::model_of(test::cube({0, 0, 0}, 1e300));
  EXPECT_THROW(write_stl([](std::string_view) {}, huge), OutputError);
  EXPECT_NO_THROW(write_stl([](std::string_view) {}, huge, {.text = true}));
}

TEST_F(Write, FormatsWithoutPartsSaySo) {
  Model two = cube_;
  two.parts.push_back(cube_.parts[0]);
  test::edit(two, [](Mesh& mesh) { mesh.patch_of.assign(12, PatchId{0}); });
  for (const Format format : {Format::stl, Format::ply, Format::off}) {
    const auto notes = write_model([](std::string_view) {}, two, format).notes;
    EXPECT_GE(notes.size(), 2u) << slug(format);
  }
  EXPECT_TRUE(write_model([](std::string_view) {}, two, Format::obj).notes.empty());
}

TEST_F(Write, StlSaysThatItHoldsNoLoosePointsAndLines) {
  Model model = test::model_of(test::cube(), "cube");
  test::edit(model, [](Mesh& mesh) {
    mesh.points.emplace_back(9, 9, 9);
    mesh.wires.push_back({VertexId{0}, VertexId{8}});
  });
  EXPECT_EQ(write_stl([](std::string_view) {}, model).notes.size(), 2u);
}

TEST_F(Write, LeavesWhatExistsUnlessAskedAndNothingBeside) {
  const fs::path path = folder_ / "cube.stl";
  { std::ofstream(path) << "precious"; }
  EXPECT_THROW(write_model(path, cube_, Format::stl), OutputError);
  EXPECT_EQ(fs::file_size(path), 8u);
  EXPECT_EQ(files(), 1u);
  const WriteReport report = write_model(path, cube_, Format::stl, {}, true);
  EXPECT_EQ(fs::file_size(path), 84 + 12 * 50u);
  EXPECT_EQ(files(), 1u);
  EXPECT_EQ(report.digest, InputFile(path).digest());
}

TEST_F(Write, AFailureLeavesNothing) {
  const Model huge = test::model_of(test::cube({0, 0, 0}, 1e300));
  EXPECT_THROW(write_model(folder_ / "huge.stl", huge, Format::stl), OutputError);
  EXPECT_EQ(files(), 0u);
  EXPECT_THROW(write_model(folder_ / "no" / "such" / "folder.stl", cube_, Format::stl),
               OutputError);
}

TEST_F(Write, DigestIsThatOfCommonTools) {
  const fs::path path = folder_ / "abc.txt";
  { std::ofstream(path) << "abc"; }
  EXPECT_EQ(InputFile(path).digest(),
            "sha256:ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad");
}

TEST_F(Write, UnreadableFilesAreNamed) {
  const auto problem = [](const fs::path& path) {
    try {
      static_cast<void>(read_model(path));
    } catch (const InputError& error) {
      return std::string(slug(error.details().problem));
    }
    return std::string("none");
  };
  EXPECT_EQ(problem(folder_), "not-readable");
  EXPECT_EQ(problem(folder_ / "missing.stl"), "not-readable");
  { std::ofstream(folder_ / "empty.stl"); }
  EXPECT_EQ(problem(folder_ / "empty.stl"), "empty");
  { std::ofstream(folder_ / "poem.txt") << "the needle and the thread\n"; }
  EXPECT_EQ(problem(folder_ / "poem.txt"), "unknown-format");
}

}  // namespace write_test
}  // namespace aguja
