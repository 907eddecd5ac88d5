#pragma once
// The topology of one body in a STEP file.

#include <map>
#include <optional>
#include <set>
#include <string>

#include "aguja/surface/body.h"
#include "formats/step_geometry.h"

namespace aguja::detail {

// What is left out, by type, and why for the first of each.
class StepOmissions {
 public:
  void add(const std::string& type, const std::string& why) {
    constexpr std::size_t kMostNotes = 20;
    ++counts_[type];
    if (notes_.size() < kMostNotes && told_.insert(type).second) notes_.push_back(why);
  }
  void write(SurfaceModel& model) const;

 private:
  std::map<std::string, std::size_t> counts_;
  std::vector<std::string> notes_;
  std::set<std::string> told_;
};

/// What presentation says of items, by their numbers.
struct StepLooks {
  std::map<std::uint64_t, Rgb> colours;
  std::map<std::uint64_t, std::string> layers;
  std::map<std::uint64_t, std::vector<std::string>> groups;
};

/// Of a representation item; nothing if it is no shape. What is wrong in it is left out.
/// Errors: EntityError (the item itself cannot be read).
[[nodiscard]] std::optional<Body> read_step_body(StepGeometry& geometry, StepOmissions& omissions,
                                                 const StepLooks& looks, const Entity& item);

/// Faces that belong to no shell, as one body; nothing if none can be read.
[[nodiscard]] std::optional<Body> read_step_faces(StepGeometry& geometry, StepOmissions& omissions,
                                                  const StepLooks& looks,
                                                  std::span<const std::uint64_t> faces);

}  // namespace aguja::detail
