#pragma once
// The sections of an IGES 5.3 file: global parameters, directory entries, parameter data.

#include <cstdint>
#include <map>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "aguja/base/error.h"
#include "aguja/formats/format.h"

namespace aguja::detail {

/// What an entity turns out not to be; it is left out, and the rest read.
class IgesError : public Error {
 public:
  IgesError(std::uint64_t number, const std::string& text)
      : Error("D" + std::to_string(number) + ": " + text), entity(number) {}
  std::uint64_t entity;
};

struct IgesEntity {
  std::uint64_t number = 0;  ///< of its directory entry: 1, 3, 5, ...
  int type = 0;
  int form = 0;
  std::uint64_t matrix = 0;   ///< the transformation's directory entry, or 0
  int color = 0;              ///< negative: a colour entity
  int level = 0;              ///< negative: a list of levels
  bool is_dependent = false;  ///< part of another entity (physically)
  bool is_blank = false;
  std::string label;
  std::vector<std::string_view> values;  ///< after the type
};

class IgesFile {
 public:
  /// Errors: InputError (no sections, records of another length, no directory).
  explicit IgesFile(const Source& source);

  [[nodiscard]] const std::vector<IgesEntity>& entities() const { return entities_; }
  /// Errors of all below: IgesError.
  [[nodiscard]] const IgesEntity& entity(std::uint64_t number, std::uint64_t asked_by) const;

  struct Global {
    double metres = 1e-3;  ///< per unit of length
    bool has_unit = false;
    double scale = 1;       ///< model space to real
    double resolution = 0;  ///< in the file's unit
  };
  [[nodiscard]] const Global& global() const { return global_; }

 private:
  void read_global(const std::string& text);
  void read_compressed(std::span<const std::string_view> lines);

  std::vector<IgesEntity> entities_;
  std::map<std::uint64_t, std::size_t> at_;
  std::map<std::uint64_t, std::string> parameters_;  // by directory entry; values are views of them
  Global global_;
};

/// Of a counted text (3Habc) what is counted.
[[nodiscard]] std::string counted_text(std::string_view value);

/// The entities that a shape is made of, by their numbers: curves and surfaces, edges' curves,
/// shells, members of subfigures; of other entities none.
/// Errors: IgesError.
[[nodiscard]] std::vector<std::uint64_t> made_of(const IgesEntity& entity);

/// Values of an entity, with defaults where they are left out.
class IgesValues {
 public:
  explicit IgesValues(const IgesEntity& entity) : entity_(entity) {}
  [[nodiscard]] std::size_t count() const { return entity_.values.size(); }
  [[nodiscard]] double number(std::size_t i, std::optional<double> otherwise = {}) const;
  [[nodiscard]] int integer(std::size_t i, std::optional<int> otherwise = {}) const;
  /// Of a directory entry; 0 if left out.
  [[nodiscard]] std::uint64_t pointer(std::size_t i) const;
  /// How many of something follow: at most as many as there are values.
  [[nodiscard]] std::size_t size(std::size_t i) const;

 private:
  const IgesEntity& entity_;
};

}  // namespace aguja::detail
