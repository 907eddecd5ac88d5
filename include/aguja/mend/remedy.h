#pragma once
/// \file
/// Remedies: what each is called, what it can be told, what it may worsen, and what it does. To add
/// one of your own, fill in a `RemedyInfo` and hand it to `mend`, a session or `parse_plan`.

#include <map>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

#include "aguja/base/progress.h"
#include "aguja/inspect/finding.h"
#include "aguja/mend/change.h"
#include "aguja/mesh/known_mesh.h"
#include "aguja/model/shape.h"

namespace aguja {

/// What a setting may be.
enum class SettingType { flag, number, length, word, point, points };

struct SettingInfo {
  std::string_view key;
  SettingType type;
  std::string_view what;
};

/// A flag, a number (lengths in model units), a word, or numbers in threes.
using Setting = std::variant<bool, double, std::string, std::vector<double>>;
using Settings = std::map<std::string, Setting>;

/// A step that names what is not there, or cannot be understood.
class StepError : public ArgumentError {
 public:
  StepError(std::size_t number, const std::string& text)
      : ArgumentError("step " + std::to_string(number) + ": " + text), step(number) {}
  std::size_t step;
};

/// The settings of a step, by key and type. Errors of all: StepError naming the key.
class SettingReader {
 public:
  SettingReader(std::size_t step, const Settings& settings) : step_(step), settings_(settings) {}

  [[nodiscard]] std::optional<bool> flag(const std::string& key) const { return get<bool>(key); }
  [[nodiscard]] std::optional<double> number(const std::string& key) const {
    return get<double>(key);
  }
  [[nodiscard]] std::optional<std::string> word(const std::string& key) const {
    return get<std::string>(key);
  }
  /// None if the key is not there.
  [[nodiscard]] std::vector<Point> points(const std::string& key) const;
  [[nodiscard]] std::optional<Point> point(const std::string& key) const;
  [[noreturn]] void fail(const std::string& text) const { throw StepError(step_, text); }

 private:
  template <class T>
  [[nodiscard]] std::optional<T> get(const std::string& key) const {
    const auto at = settings_.find(key);
    if (at == settings_.end()) return std::nullopt;
    if (const T* value = std::get_if<T>(&at->second)) return *value;
    fail("'" + key + "' has a value of the wrong type");
  }

  std::size_t step_;
  const Settings& settings_;
};

/// What a step is about, in one part.
struct RemedyTarget {
  std::size_t part = 0;
  std::vector<TriangleId> triangles;  ///< selected ones, rising; those of the findings too
  std::vector<const Finding*> findings;
  /// Some were picked out by id, place or exception; else all of a kind, or of the part.
  bool is_picked = false;

  [[nodiscard]] bool has(FindingKind kind) const;
  /// Triangles of findings of these kinds, rising.
  [[nodiscard]] std::vector<TriangleId> triangles_of(
      std::initializer_list<FindingKind> kinds) const;
};

/// What a remedy works on. Its mesh has distinct points, unless it is the remedy that makes them
/// so.
struct RemedyInput {
  const Mesh& mesh;
  const KnownMesh& known;  ///< the same, with its edges and stars, if they are asked for
  const RemedyTarget& target;
  const SettingReader& settings;
  double tolerance;     ///< the budget of all steps together, and what counts as a crack
  Budget budget;        ///< of this step, and what is spent
  bool round_to_float;  ///< the output holds floats alone
  Progress* progress;
  const Shape* shape = nullptr;  ///< what the mesh is of, patch by patch; its points may be others
};

/// What may be worse after a step than before: naked and non-manifold edges, winding conflicts,
/// triangles without area, crossing pairs.
enum class MayWorsen {
  nothing,        ///< a step that would is refused as a whole
  edges_if_told,  ///< it may bare edges if its setting `may_bare` says so
  anything,       ///< by hand: carried out as told, and flagged
};

/// What counts against the budget.
enum class CountsAsMovement {
  nothing,   ///< it moves nothing: what it adds or gives up is listed
  surface,   ///< the two-sided distance between the surface before and after, and it is bounded
  recorded,  ///< the same, but told only: by hand
};

struct RemedyInfo {
  std::string_view slug;
  std::string_view what;
  std::span<const SettingInfo> settings = {};
  MayWorsen may_worsen = MayWorsen::nothing;
  CountsAsMovement movement = CountsAsMovement::surface;
  /// Not run without a selection (or, if it names vertices by places, without these).
  bool needs_selection = false;
  /// What it gives up bounds no material, whatever its area: `StepOptions::most_given_up` does not
  /// hold it back.
  bool keeps_material = false;
  /// Null: not there yet; plans that name it are read, and the steps refused.
  Change (*run)(const RemedyInput&) = nullptr;

  [[nodiscard]] bool is_there() const { return run != nullptr; }
  [[nodiscard]] bool by_hand() const { return may_worsen == MayWorsen::anything; }
};

/// A remedy, by reference to its entry.
class Remedy {
 public:
  constexpr Remedy(const RemedyInfo& info) : info_(&info) {}  // NOLINT: an entry is a remedy
  [[nodiscard]] const RemedyInfo& info() const { return *info_; }
  friend bool operator==(Remedy a, Remedy b) { return a.info_ == b.info_; }

 private:
  const RemedyInfo* info_;
};

/// Those that are built in; one file each in src/mend/remedies/.
namespace remedies {
extern const RemedyInfo weld, stitch, close_gaps, fill, collapse, orient, drop, resolve, absorb,
    refit, cut, offset;
/// By hand.
extern const RemedyInfo move, join, turn, delete_, add, bridge, copy;
/// Not there yet.
extern const RemedyInfo refine, wrap;
}  // namespace remedies

[[nodiscard]] std::span<const Remedy> all_remedies();
[[nodiscard]] inline const RemedyInfo& info(Remedy remedy) { return remedy.info(); }
[[nodiscard]] inline std::string_view slug(Remedy remedy) { return remedy.info().slug; }
/// Among those that are built in and `more`.
[[nodiscard]] std::optional<Remedy> parse_remedy(std::string_view slug,
                                                 std::span<const Remedy> more = {});

}  // namespace aguja
