#pragma once
/// \file
/// The errors that the library throws. Geometry that defeats a method is never one of them: it is
/// a field of that method's result.

#include <cstddef>
#include <optional>
#include <stdexcept>
#include <string>
#include <string_view>

namespace aguja {

/// Base of everything that the library throws on purpose.
class Error : public std::runtime_error {
 public:
  using std::runtime_error::runtime_error;
};

/// The caller broke a contract; thrown before any work is done.
class ArgumentError : public Error {
 public:
  using Error::Error;
};

/// The caller's `Progress` asked to stop. Inputs are untouched.
class Cancelled : public Error {
 public:
  Cancelled() : Error("cancelled") {}
};

/// One of our own invariants does not hold: a defect of the library.
class InternalError : public Error {
 public:
  using Error::Error;
};

/// What an `InputError` is about; the slug of each is stable (`slug`).
enum class InputProblem {
  not_readable,    ///< missing, a folder, no permission, or the machine failed while reading
  empty,           ///< no bytes at all
  unknown_format,  ///< none of the formats fits what the file begins with
  unsupported,     ///< a variant of a known format that is not read
  truncated,       ///< the bytes end before what they announce
  wrong_count,     ///< a declared count and the bytes contradict each other
  bad_number,      ///< not a number, out of the range of its type, NaN or infinite
  bad_index,       ///< names a vertex that does not exist
  syntax,          ///< something else stands where the format demands a certain word
  too_large,       ///< more points or triangles than the index types hold
};

[[nodiscard]] std::string_view slug(InputProblem problem);

/// Where in a file: by line for text (counted from 1), by byte for the rest (counted from 0).
struct InputPlace {
  enum class Counts { lines, bytes } counts = Counts::bytes;
  std::size_t at = 0;
};

/// Bytes that are not what they claim to be. `what()` is one line:
/// `pod.stl: byte 80: 12000 triangles are declared (600000 bytes), but 431250 bytes follow`.
class InputError : public Error {
 public:
  struct Details {
    InputProblem problem;
    std::string file;
    std::optional<InputPlace> place;
    std::string text;      ///< the sentence after file and place
    std::string expected;  ///< what the format demands here
    std::string found;     ///< what is there instead
  };
  explicit InputError(Details details);

  [[nodiscard]] const Details& details() const { return details_; }

 private:
  Details details_;
};

/// A file could not be written: the machine failed (no space, no permission), or it exists already.
class OutputError : public Error {
 public:
  using Error::Error;
};

}  // namespace aguja
