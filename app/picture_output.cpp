#include "picture_output.h"

#include <charconv>
#include <filesystem>

#include <fmt/format.h>

#include "aguja/base/parallel.h"
#include "aguja/report/verdict.h"
#include "page_output.h"

#ifdef AGUJA_HAS_PICTURES
#include "aguja/report/picture.h"
#endif

namespace aguja::app {

void PictureOutput::add(CLI::App& command) {
  command.add_option("--size", size, "width and height in pixels")->capture_default_str();
  command.add_option("--section", section,
                     "cut away what lies beyond the middle along x, y or z; x=0.3 cuts "
                     "at that share");
  command.add_flag("--see-through", see_through, "draw the surface transparent");
}

#ifdef AGUJA_HAS_PICTURES
namespace {

PictureOptions options_of(const PictureOutput& out) {
  PictureOptions options;
  const auto number = [](std::string_view text, auto& value) {
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
    return error == std::errc() && end == text.data() + text.size();
  };
  const std::size_t x = out.size.find('x');
  if (x == std::string::npos || !number(std::string_view(out.size).substr(0, x), options.width) ||
      !number(std::string_view(out.size).substr(x + 1), options.height)) {
    throw ArgumentError("--size: expected WIDTHxHEIGHT, such as 1280x800; got '" + out.size + "'");
  }
  options.see_through = out.see_through;
  if (out.section.empty()) return options;
  const std::size_t axis = std::string_view("xyz").find(out.section[0]);
  const bool share_fits = out.section.size() == 1 ||
                          (out.section[1] == '=' &&
                           number(std::string_view(out.section).substr(2), options.section_at) &&
                           options.section_at >= 0 && options.section_at <= 1);
  if (axis == std::string::npos || !share_fits) {
    throw ArgumentError("--section: expected x, y or z, or such as x=0.3; got '" + out.section +
                        "'");
  }
  options.section_axis = static_cast<int>(axis);
  return options;
}

PictureStudio studio_of(const std::string& file, const Model& model, const Inspection& inspection) {
  const VerdictWords words = verdict_words(model, inspection);
  return PictureStudio(model, inspection, file, words.sentence + " " + words.next);
}

}  // namespace

void PictureOutput::check() const { static_cast<void>(options_of(*this)); }

std::string PictureOutput::draw(const std::string& file, const Model& model,
                                const Inspection& inspection) const {
  PictureOptions options = options_of(*this);
  if (!finding.empty()) {
    for (std::size_t i = 0; i < inspection.findings.size(); ++i) {
      if (inspection.findings[i].id == finding) options.finding = i;
    }
    if (!options.finding) {
      std::vector<std::string_view> ids;
      for (const Finding& f : inspection.findings) ids.push_back(f.id);
      throw ArgumentError(
          "--finding: there is no '" + finding + "'" +
          (ids.empty() ? std::string() : "; the nearest is '" + nearest_word(finding, ids) + "'"));
    }
  }
  return studio_of(file, model, inspection).png(options);
}

std::vector<std::string> write_pictures(const std::string& folder, const PictureOutput& look,
                                        const std::string& file, const Model& model,
                                        const Inspection& inspection, bool overwrite) {
  std::filesystem::create_directories(folder);
  const PictureStudio studio = studio_of(file, model, inspection);
  const PictureOptions options = options_of(look);
  std::vector<std::string> names;
  const auto write = [&](const std::string& name, const std::string& png) {
    names.push_back((std::filesystem::path(folder) / (name + ".png")).string());
    write_whole(names.back(), png, overwrite);
  };
  write("whole", studio.png(options));
  constexpr std::size_t kMostPictures = 200;
  std::vector<std::string> pngs(std::min(inspection.findings.size(), kMostPictures));
  // As many at a time as there are threads, and no more: see its memory.
  const std::size_t chains = thread_count();
  parallel_tasks(chains, [&](std::size_t chain) {
    PictureOptions own = options;
    for (std::size_t i = chain; i < pngs.size(); i += chains) {
      own.finding = i;
      pngs[i] = studio.png(own);
    }
  });
  for (std::size_t i = 0; i < pngs.size(); ++i) {
    write(fmt::format("{:03}-{}", i + 1, inspection.findings[i].id), pngs[i]);
  }
  return names;
}
#else
namespace {

[[noreturn]] void refuse() {
  throw ArgumentError("this aguja was built without pictures (AGUJA_PICTURES)");
}

}  // namespace

void PictureOutput::check() const { refuse(); }
std::string PictureOutput::draw(const std::string&, const Model&, const Inspection&) const {
  refuse();
}
std::vector<std::string> write_pictures(const std::string&, const PictureOutput&,
                                        const std::string&, const Model&, const Inspection&, bool) {
  refuse();
}
#endif

}  // namespace aguja::app
