#pragma once
/// \file
/// Models from files and from bytes.

#include <filesystem>
#include <memory>
#include <span>

#include "aguja/base/progress.h"
#include "aguja/formats/format.h"
#include "aguja/model/model.h"

namespace aguja {

/// A file's bytes, mapped where the system can, read otherwise (pipes).
/// Errors: InputError (missing, a folder, empty, not readable).
class InputFile {
 public:
  explicit InputFile(const std::filesystem::path& path);
  InputFile(InputFile&&) noexcept;
  InputFile& operator=(InputFile&&) noexcept;
  ~InputFile();

  [[nodiscard]] Source source() const;
  /// `sha256:` and 64 hexadecimal digits, as other tools print them.
  [[nodiscard]] std::string digest() const;

 private:
  struct Impl;
  std::unique_ptr<Impl> impl_;
};

/// Reads a model; the format is told by content, then by name. Nothing is welded, dropped or
/// rounded: what was read can be written back bit for bit. Text numbers become the nearest double.
/// Parts without a name are named after the file.
///
/// Cost     O(bytes), parallel. No memory is reserved by a declared count before the bytes are
///          known to be there.
/// Errors   InputError naming file, line or byte, expected and found; Cancelled.
///
/// Surface models are sewn and made into triangles (`prepare`): the model's parts refer to the
/// bodies that they were made of, its source holds the rest; see formats/read_surfaces.h for the
/// surfaces as the file has them.
[[nodiscard]] Model read_model(const std::filesystem::path& path, const ReadOptions& options = {},
                               Progress* progress = nullptr);
[[nodiscard]] Model read_model(const Source& source, const ReadOptions& options = {},
                               Progress* progress = nullptr);

/// Several files as one model, in the first one's unit: `inspect` and all else find with each part
/// what belongs to it.
/// Errors   As above; ArgumentError (no files).
[[nodiscard]] Model read_models(std::span<const std::filesystem::path> paths,
                                const ReadOptions& options = {}, Progress* progress = nullptr);

/// The format that `read_model` would take it for.
[[nodiscard]] std::optional<Format> known_format(const Source& source,
                                                 const ReadOptions& options = {});

// One format each, over bytes. Parts are left without a name where the file gives none.
// read_stl: ASCII (several solids, any case, CRLF) or binary, told apart by length and content.
// read_obj: `v`, `f`, `l`, `o`, `g`, negative indices, n-gons; other statements are counted in the
//           notes.
// read_ply: ASCII and binary of both byte orders; elements vertex, face, tristrips, edge.
// read_off: OFF with normals, colours or texture coordinates beside the points, which are not kept.
[[nodiscard]] Model read_stl(const Source& source, const ReadOptions& options = {},
                             Progress* progress = nullptr);
[[nodiscard]] Model read_obj(const Source& source, const ReadOptions& options = {},
                             Progress* progress = nullptr);
[[nodiscard]] Model read_ply(const Source& source, const ReadOptions& options = {},
                             Progress* progress = nullptr);
[[nodiscard]] Model read_off(const Source& source, const ReadOptions& options = {},
                             Progress* progress = nullptr);

}  // namespace aguja
