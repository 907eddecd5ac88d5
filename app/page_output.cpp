#include "page_output.h"

#include <filesystem>

#include "aguja/formats/write.h"

namespace aguja::app {

void PageOutput::add(CLI::App& command) {
  command.add_option("--page", file_, "write a page to look at: one HTML file, for any browser");
}

void PageOutput::check(bool overwrite) const {
  if (!is_wanted() || overwrite || !std::filesystem::exists(file_)) return;
  throw ArgumentError(file_ + ": exists already; --overwrite replaces it");
}

void write_whole(const std::string& file, std::string_view bytes, bool overwrite) {
  write_file(
      file, [&](const ByteSink& sink) { sink(bytes); }, overwrite);
}

std::string PageOutput::text(Session& session, const Model& model, const Inspection& inspection,
                             const PageOptions& options) {
  return session.times().time("page", [&] {
    PageModel one{"as read", session.file_label(), session.digest(), &model, &inspection, {}, {}};
    one.fields = {aspect_field(model), thickness_field(model)};
    return page_html({one}, {}, options);
  });
}

void PageOutput::write_one(Session& session, const Model& model, const Inspection& inspection,
                           bool overwrite) const {
  write_whole(file_, text(session, model, inspection), overwrite);
}

InspectOptions PageOutput::inspect_options(const Profile& profile) {
  InspectOptions options;
  options.profile = profile;
  options.most_triangles = 1'000'000;
  options.keep_patches = true;
  options.certify = true;
  return options;
}

void PageOutput::write_two(Session& session, const Pair& pair, const Profile& profile,
                           bool overwrite, const std::optional<Deviation>& deviation) const {
  const InspectOptions options = inspect_options(profile);
  const Model* const models[] = {&pair.before, &pair.after};
  const std::string files[] = {pair.file_before, pair.file_after};
  std::vector<Inspection> inspections;
  for (const Model* model : models) {
    inspections.push_back(inspect(*model, options, &session.times(), session.progress()));
  }
  const std::string page = session.times().time("page", [&] {
    std::vector<PageModel> both;
    for (std::size_t i = 0; i < 2; ++i) {
      PageModel one{i == 0 ? "before" : "after", files[i], "", models[i], &inspections[i], {}, {}};
      if (triangle_count(*models[1 - i]) > 0) {
        one.fields.push_back(deviation_field(*models[i], *models[1 - i]));
      }
      one.fields.push_back(aspect_field(*models[i]));
      one.fields.push_back(thickness_field(*models[i]));
      both.push_back(std::move(one));
    }
    return page_html(both, deviation);
  });
  write_whole(file_, page, overwrite);
}

void PageOutput::write_trial(Session& session, const Model& model, const std::string& finding,
                             const std::vector<Variant>& variants, const Profile& profile,
                             bool overwrite) const {
  const InspectOptions options = inspect_options(profile);
  std::vector<const Model*> models = {&model};
  for (const Variant& v : variants) models.push_back(&v.model);
  std::vector<Inspection> inspections;
  for (const Model* m : models) {
    inspections.push_back(inspect(*m, options, &session.times(), session.progress()));
  }
  const std::string page = session.times().time("page", [&] {
    std::vector<PageModel> all;
    for (std::size_t i = 0; i < models.size(); ++i) {
      PageModel one{i == 0 ? "as read" : variants[i - 1].method,
                    session.file_label(),
                    i == 0 ? session.digest() : std::string(),
                    models[i],
                    &inspections[i],
                    {aspect_field(*models[i])},
                    i == 0 ? std::string() : variants[i - 1].note};
      all.push_back(std::move(one));
    }
    PageOptions shown;
    shown.trial = finding;
    return page_html(all, {}, shown);
  });
  write_whole(file_, page, overwrite);
}

}  // namespace aguja::app
