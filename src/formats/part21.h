#pragma once
// Clear text exchange structures (ISO 10303-21): the file is indexed once, entities are parsed when
// they are asked for.

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <unordered_map>
#include <vector>

#include "aguja/base/error.h"
#include "aguja/formats/format.h"

namespace aguja::detail {

/// What an entity's text turns out not to be; the entity is left out, and the rest read.
class EntityError : public Error {
 public:
  EntityError(std::uint64_t number, const std::string& text)
      : Error("#" + std::to_string(number) + ": " + text), entity(number) {}
  std::uint64_t entity;
};

/// One parameter.
struct Value {
  enum class Kind { missing, derived, number, text, word, reference, list, typed, binary };
  Kind kind = Kind::missing;
  double number = 0;  ///< also of integers
  std::uint64_t reference = 0;
  std::string_view text;     ///< of strings as in the file; of enumerations and types the word
  std::vector<Value> items;  ///< of lists and typed values
};

/// One of the records of an entity: simple ones have one.
struct Record {
  std::string_view type;
  std::vector<Value> values;
};

/// An entity that was parsed.
class Entity {
 public:
  std::uint64_t number = 0;
  std::vector<Record> records;

  [[nodiscard]] bool is(std::string_view type) const { return find(type) != nullptr; }
  [[nodiscard]] const Record* find(std::string_view type) const;
  /// Errors of all below: EntityError naming the entity, what was expected and found.
  [[nodiscard]] const Record& record(std::string_view type) const;
};

/// Typed access to the values of a record.
class Fields {
 public:
  Fields(const Entity& entity, const Record& record) : entity_(entity), record_(record) {}
  [[nodiscard]] std::size_t count() const { return record_.values.size(); }
  [[nodiscard]] const Value& at(std::size_t i) const;
  [[nodiscard]] double number(std::size_t i) const;
  [[nodiscard]] int integer(std::size_t i) const;
  [[nodiscard]] std::uint64_t reference(std::size_t i) const;
  [[nodiscard]] bool has_reference(std::size_t i) const;
  [[nodiscard]] bool flag(std::size_t i) const;
  [[nodiscard]] std::string_view word(std::size_t i) const;
  [[nodiscard]] std::string text(std::size_t i) const;  ///< decoded; empty if missing
  [[nodiscard]] const std::vector<Value>& list(std::size_t i) const;
  [[nodiscard]] std::vector<std::uint64_t> references(std::size_t i) const;
  [[nodiscard]] std::vector<double> numbers(std::size_t i) const;
  [[noreturn]] void fail(std::size_t i, const std::string& expected) const;

 private:
  const Entity& entity_;
  const Record& record_;
};

class Part21 {
 public:
  /// Cost   One pass over the bytes, in stretches of about `stretch` bytes at once; a second one if
  ///        a text or a comment that goes over lines looks like the start of one. 40 bytes an
  ///        entity, twice that while stretches are joined.
  /// Errors InputError (no exchange structure, text or comment without an end, no data).
  explicit Part21(const Source& source, std::size_t stretch = std::size_t{1} << 22);

  struct Entry {
    std::uint64_t number = 0;
    std::string_view type;  ///< of the first record; empty for complex entities
    std::string_view text;  ///< from the type, or the bracket, to before the semicolon
  };
  [[nodiscard]] std::size_t size() const;
  /// `visit(Entry)` for all of them, by number.
  template <class Visit>
  void for_each(const Visit& visit) const {
    for (const auto& list : lists_) {
      for (const Place& place : list) visit(entry(place));
    }
  }
  [[nodiscard]] std::optional<Entry> find(std::uint64_t number) const;
  /// Errors: EntityError (there is none, it cannot be parsed).
  [[nodiscard]] Entity parse(std::uint64_t number, std::uint64_t asked_by = 0) const;
  [[nodiscard]] std::string_view schema() const { return schema_; }
  /// When the file says that it was written; empty if it does not.
  [[nodiscard]] std::string time_stamp() const;
  [[nodiscard]] std::size_t repeated() const { return repeated_; }

  /// Where an entity stands; a file holds millions of them.
  struct Place {
    std::uint64_t number;
    std::uint64_t start;
    std::uint32_t type_length;
    std::uint32_t length;
  };

 private:
  void sort();
  [[nodiscard]] Entry entry(const Place& p) const {
    return {p.number, bytes_.substr(p.start, p.type_length), bytes_.substr(p.start, p.length)};
  }
  std::string_view bytes_;
  std::vector<std::vector<Place>> lists_;  // by number, none empty
  std::string_view schema_, file_name_;    // statements
  std::size_t repeated_ = 0;
};

/// Text as the standard encodes it (\X\, \X2\, \X4\, \S\, doubled quotes) in UTF-8.
[[nodiscard]] std::string decoded_text(std::string_view text);

}  // namespace aguja::detail
