#pragma once
// Reading from and writing to memory, and models compared bit for bit.

#include <cstring>

#include <gtest/gtest.h>

#include "aguja/base/error.h"
#include "aguja/formats/read.h"
#include "aguja/formats/write.h"

namespace aguja::test {

inline Model read_text(std::string_view text, std::string_view name = "test") {
  return read_model(Source{std::string(name), text});
}

inline std::string written(const Model& model, Format format, const WriteOptions& options = {}) {
  std::string bytes;
  write_model([&](std::string_view piece) { bytes += piece; }, model, format, options);
  return bytes;
}

/// The message of the InputError that reading must end in.
inline std::string error_of(std::string_view bytes, std::string_view name = "test") {
  try {
    static_cast<void>(read_model(Source{std::string(name), bytes}));
  } catch (const InputError& error) {
    return error.what();
  }
  return "no error";
}

inline bool same_bits(const Mesh& a, const Mesh& b) {
  return a.points.size() == b.points.size() && a.triangles == b.triangles && a.wires == b.wires &&
         (a.points.empty() ||
          std::memcmp(a.points.data(), b.points.data(), a.points.size() * sizeof(Point)) == 0);
}

inline void expect_same(const Model& a, const Model& b) {
  ASSERT_EQ(a.parts.size(), b.parts.size());
  for (std::size_t p = 0; p < a.parts.size(); ++p) {
    EXPECT_EQ(a.parts[p].name, b.parts[p].name);
    EXPECT_TRUE(same_bits(a.parts[p].mesh(), b.parts[p].mesh())) << "part " << p;
  }
}

}  // namespace aguja::test
