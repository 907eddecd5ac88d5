#pragma once
// The page that several commands write beside what they print.

#include "aguja/report/page.h"
#include "session.h"

namespace aguja::app {

class PageOutput {
 public:
  /// Adds `--page`.
  void add(CLI::App& command);
  /// What a page needs to know of a model.
  [[nodiscard]] static InspectOptions inspect_options(const Profile& profile = {});
  [[nodiscard]] bool is_wanted() const { return !file_.empty(); }
  /// Before any work: is nothing in the way?
  void check(bool overwrite) const;

  /// The page of one model.
  [[nodiscard]] static std::string text(Session& session, const Model& model,
                                        const Inspection& inspection,
                                        const PageOptions& options = {});
  void write_one(Session& session, const Model& model, const Inspection& inspection,
                 bool overwrite) const;
  /// Before and after, both inspected here by `profile`.
  /// Models with their names.
  struct Pair {
    const Model& before;
    std::string file_before;
    const Model& after;
    std::string file_after;
  };
  void write_two(Session& session, const Pair& pair, const Profile& profile, bool overwrite,
                 const std::optional<Deviation>& deviation = {}) const;

  /// An opening filled in several ways.
  struct Variant {
    Model model;
    std::string method;
    std::string note;
  };
  void write_trial(Session& session, const Model& model, const std::string& finding,
                   const std::vector<Variant>& variants, const Profile& profile,
                   bool overwrite) const;

 private:
  std::string file_;
};

/// Writes beside the target first. Errors: OutputError.
void write_whole(const std::string& file, std::string_view bytes, bool overwrite);

}  // namespace aguja::app
