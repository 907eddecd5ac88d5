// Pictures: of the asked size, showing what is there, the same every time.

#include "aguja/report/picture.h"

#include <cairo.h>
#include <gtest/gtest.h>

#include <cstring>

#include <oneapi/tbb/global_control.h>

#include "aguja/base/error.h"
#include "report/ray_scene.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace picture_test {

struct Image {
  int width = 0, height = 0;
  std::vector<std::uint32_t> pixels;
  [[nodiscard]] std::size_t count(std::uint32_t colour) const {
    return static_cast<std::size_t>(std::count(pixels.begin(), pixels.end(), colour));
  }
};

Image decoded(const std::string& png) {
  std::string_view left = png;
  const auto read = [](void* from, unsigned char* to, unsigned length) {
    auto& rest = *static_cast<std::string_view*>(from);
    if (rest.size() < length) return CAIRO_STATUS_READ_ERROR;
    std::memcpy(to, rest.data(), length);
    rest.remove_prefix(length);
    return CAIRO_STATUS_SUCCESS;
  };
  cairo_surface_t* surface = cairo_image_surface_create_from_png_stream(read, &left);
  EXPECT_EQ(cairo_surface_status(surface), CAIRO_STATUS_SUCCESS);
  Image image{cairo_image_surface_get_width(surface), cairo_image_surface_get_height(surface), {}};
  for (int y = 0; y < image.height; ++y) {
    for (int x = 0; x < image.width; ++x) {
      std::uint32_t pixel = 0;
      std::memcpy(&pixel,
                  cairo_image_surface_get_data(surface) +
                      std::ptrdiff_t{y} * cairo_image_surface_get_stride(surface) + 4 * x,
                  4);
      image.pixels.push_back(pixel & 0xFFFFFFu);
    }
  }
  cairo_surface_destroy(surface);
  return image;
}

constexpr std::uint32_t kGround = 0xECE5D6, kMark = 0xB86A00;

Look from_above(int size, double pixel) {
  Look look;
  look.right = {1, 0, 0};
  look.up = {0, 1, 0};
  look.back = {0, 0, 1};
  look.pixel = pixel;
  look.width = look.height = size;
  return look;
}

TEST(RayScene, SeesTheOutlineInItsTrueSize) {
  const Model model = test::model_of(test::cube({-5, -5, -5}, 10));
  const RayScene scene(model, {});
  const auto image = scene.render(from_above(100, 0.2), std::vector<bool>(12));
  std::size_t covered = 0;
  for (const Colour& c : image) covered += c.red != 236 || c.green != 229 || c.blue != 214;
  EXPECT_NEAR(static_cast<double>(covered), 50.0 * 50.0, 210);
}

TEST(RayScene, TellsWhatIsHidden) {
  const Model model = test::model_of(test::cube({-5, -5, -5}, 10));
  const RayScene scene(model, {});
  const Look look = from_above(100, 0.2);
  EXPECT_FALSE(scene.is_hidden({1, 2, 5}, look));
  EXPECT_TRUE(scene.is_hidden({1, 2, -5}, look));
  EXPECT_FALSE(scene.is_hidden({7, 2, -5}, look));
  Look cut = look;
  cut.normal = Vector(0, 0, 1);
  cut.offset = 0;
  EXPECT_FALSE(scene.is_hidden({1, 2, -5}, cut));
}

TEST(RayScene, IsTheSameForAnyNumberOfThreads) {
  const Model model = test::model_of(test::sphere(30, 8));
  const std::vector<bool> chosen(model.parts[0].mesh().triangles.size());
  Look look = from_above(80, 0.25);
  look.see_through = true;
  const auto many = RayScene(model, {}).render(look, chosen);
  oneapi::tbb::global_control one(oneapi::tbb::global_control::max_allowed_parallelism, 1);
  const auto single = RayScene(model, {}).render(look, chosen);
  EXPECT_EQ(std::memcmp(many.data(), single.data(), many.size() * sizeof(Colour)), 0);
}

TEST(Picture, ShowsTheModelItsSectionAndItsFindings) {
  Mesh ball = test::sphere(24, 30);
  ball.triangles.erase(ball.triangles.begin() + 300);
  const Model model = test::model_of(ball);
  const Inspection inspection = inspect(model);
  ASSERT_EQ(inspection.findings.size(), 1u);
  const PictureStudio studio(model, inspection, "ball.stl", "Not a solid yet.");
  const Image whole = decoded(studio.png({.width = 640, .height = 400}));
  EXPECT_EQ(whole.width, 640);
  EXPECT_EQ(whole.height, 400);
  EXPECT_LT(whole.count(kGround), 640u * 336u);
  EXPECT_EQ(whole.count(kMark), 0u);
  const Image cut = decoded(studio.png({.width = 640, .height = 400, .section_axis = 0}));
  EXPECT_GT(cut.count(kMark), 100u);
  EXPECT_GT(cut.count(kGround), whole.count(kGround));
  const std::string close = studio.png({.width = 640, .height = 400, .finding = 0});
  EXPECT_GT(decoded(close).count(kMark), 20u);
  EXPECT_EQ(close, studio.png({.width = 640, .height = 400, .finding = 0}));
}

TEST(Picture, EndsWhateverTheSize) {
  for (const double size : {1e-320, 1e-200, 1e-30, 1e17, 1e30, 1e200, 1.7e308}) {
    SCOPED_TRACE(size);
    Mesh mesh = test::cube({-size, 0, 0}, size);
    mesh.points[0].x() = 0.5 * size;
    mesh.points[1].y() = 1e-3;
    mesh.triangles.erase(mesh.triangles.begin());
    const Model model = test::model_of(mesh);
    const Inspection inspection = inspect(model);
    ASSERT_FALSE(inspection.findings.empty());
    const PictureStudio studio(model, inspection, "", "Any size.");
    const PictureOptions wishes[] = {{.width = 640, .height = 400},
                                     {.width = 640, .height = 400, .section_axis = 0},
                                     {.width = 640, .height = 400, .finding = 0}};
    for (const PictureOptions& wish : wishes) EXPECT_EQ(decoded(studio.png(wish)).width, 640);
  }
}

TEST(Picture, OfNothingIsEmptyAndOddWishesAreRefused) {
  const Model model;
  const Inspection inspection;
  const PictureStudio studio(model, inspection, "", "Nothing.");
  EXPECT_GT(decoded(studio.png()).count(kGround), 1280u * 700u);
  EXPECT_THROW(static_cast<void>(studio.png({.width = 10})), ArgumentError);
  EXPECT_THROW(static_cast<void>(studio.png({.height = 20000})), ArgumentError);
  EXPECT_THROW(static_cast<void>(studio.png({.finding = 0})), ArgumentError);
  EXPECT_THROW(static_cast<void>(studio.png({.section_axis = 3})), ArgumentError);
}

}  // namespace picture_test
}  // namespace aguja
