#pragma once
// What the writers share.

#include <charconv>
#include <string>
#include <string_view>
#include <vector>

#include "aguja/base/parallel.h"
#include "aguja/formats/write.h"

namespace aguja::detail {

inline void append_number(std::string& out, double value) {
  char buffer[32];
  const auto result = std::to_chars(buffer, buffer + sizeof(buffer), value);
  out.append(buffer, result.ptr);
}
inline void append_number(std::string& out, std::size_t value) {
  char buffer[24];
  const auto result = std::to_chars(buffer, buffer + sizeof(buffer), value);
  out.append(buffer, result.ptr);
}
inline void append_point(std::string& out, const Vector& p) {
  append_number(out, p.x());
  out += ' ';
  append_number(out, p.y());
  out += ' ';
  append_number(out, p.z());
}

template <class T>
void append_bytes(std::string& out, const T& value) {
  out.append(reinterpret_cast<const char*>(&value), sizeof(value));
}

/// Formats 0..count in parallel, `format(Range, std::string&)`, and writes the pieces in order; a
/// few pieces are in memory at a time.
template <class FormatPiece>
void write_in_pieces(const ByteSink& sink, std::size_t count, const FormatPiece& format) {
  constexpr std::size_t kGrain = std::size_t{1} << 14;
  const std::size_t batch = kGrain * 4 * thread_count();
  for (std::size_t begin = 0; begin < count; begin += batch) {
    const std::size_t end = std::min(count, begin + batch);
    for (const std::string& text : parallel_map(end - begin, kGrain, [&](Range r) {
           std::string out;
           format(Range{begin + r.begin, begin + r.end}, out);
           return out;
         })) {
      sink(text);
    }
  }
}

/// A name on one line, without the characters that end lines.
[[nodiscard]] std::string one_line(std::string_view name);

/// Notes that parts become one, patches are lost and so on.
void note_lost_parts(const Model& model, std::string_view format, WriteReport& report);
void note_lost_colours(const Model& model, std::string_view format, WriteReport& report);
void note_lost_patches(const Model& model, std::string_view format, WriteReport& report);
void note_lost_unit(const Model& model, std::string_view format, WriteReport& report);

/// Of triangles without a colour where others have one.
inline constexpr Rgb kNoColour = {0.75F, 0.75F, 0.75F};
/// 0 to 255.
[[nodiscard]] std::array<std::uint8_t, 3> colour_bytes(const Part& part, std::size_t triangle);

/// Where each part's points begin when all are written one after another.
[[nodiscard]] std::vector<std::size_t> first_points(const Model& model);

}  // namespace aguja::detail
