// aguja certify: the verdict on closed solids, with the evidence.

#include <algorithm>
#include <cmath>
#include <future>
#include <limits>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "aguja/formats/profile.h"
#include "aguja/report/text.h"
#include "page_output.h"
#include "session.h"

namespace aguja::app {
namespace {

struct CertifyCommand : Session {
  std::string density;
  std::string expected_volume;
  std::string expected_mass;
  std::string within = "0.1%";
  std::string profile_file;
  bool overwrite = false;
  PageOutput page;

  // A model with what was looked at, and what it was held against.
  struct Judged {
    Model model;
    std::optional<Inspection> looked;
    Certificate certificate;
    std::vector<Expectation> expected;
    [[nodiscard]] bool is_told() const {
      return std::all_of(expected.begin(), expected.end(),
                         [](const Expectation& e) { return e.is_told(); });
    }
  };

  std::vector<Expectation> expectations(const Certificate& certificate, LengthUnit unit,
                                        std::optional<Density> material, double beyond,
                                        double uncertain) const {
    std::vector<Expectation> list;
    const double allowed = parse_percentage(within);
    // What encloses nothing, or is no body, meets no expectation.
    const bool is_body = certificate.encloses && volume_doubt(certificate).empty();
    const double volume =
        is_body ? certificate.mass.volume + beyond : std::numeric_limits<double>::quiet_NaN();
    if (!expected_volume.empty()) {
      list.push_back({"volume", parse_volume(expected_volume, unit), volume, allowed, uncertain});
    }
    if (!expected_mass.empty()) {
      list.push_back({"mass", parse_mass(expected_mass), mass_kg(volume, unit, *material), allowed,
                      mass_kg(uncertain, unit, *material)});
    }
    return list;
  }

  Judged judge(Model model, std::optional<Density> material) {
    Judged judged;
    Profile profile;
    if (!profile_file.empty()) profile = read_profile(profile_file, model.unit);
    profile.parts_apart |= parts_apart();
    if (page.is_wanted()) {
      judged.looked = inspect(model, PageOutput::inspect_options(profile), &times(), progress());
    }
    judged.certificate = judged.looked
                             ? *judged.looked->certificate
                             : certify(model, certify_options(profile), &times(), progress());
    double beyond = 0, uncertain = 0;
    for (const SurfaceSource& source : model.sources) {
      const double cube = std::pow(source.to_model, 3);
      beyond += cube * (source.sizes.volume - source.sizes.volume_of_facets);
      uncertain += cube * source.sizes.volume_within;
    }
    judged.expected = expectations(judged.certificate, model.unit, material, beyond, uncertain);
    judged.model = std::move(model);
    return judged;
  }

  int run_command() {
    if (!each_file()) return certify_model();
    if (page.is_wanted()) throw ArgumentError("--each-file prints lines alone: no page");
    return run_each_file(*this, &CertifyCommand::certify_model);
  }

  int certify_model() {
    std::optional<Density> material;
    if (!density.empty()) material = Density{parse_density(density)};
    if (!expected_mass.empty() && !material) {
      throw ArgumentError("--expect-mass needs a --density");
    }
    static_cast<void>(parse_percentage(within));
    page.check(overwrite);
    auto file_digest = std::async(std::launch::async, [this] { return digest(); });
    Judged judged = judge(read(), material);
    constexpr int kMostFiner = 3;
    constexpr std::size_t kMostTriangles = 2'000'000;
    for (int round = 1; round <= kMostFiner && !judged.is_told(); ++round) {
      if (judged.model.sources.empty() || triangle_count(judged.model) > kMostTriangles) break;
      double chord = std::numeric_limits<double>::infinity();
      for (const SurfaceSource& s : judged.model.sources) {
        chord = std::min(chord, s.chord * s.to_model);
      }
      judged = judge(read_finer(chord, judged.model.unit), material);
      judged.model.notes.push_back(
          fmt::format("facets were made finer {} to hold them against what is expected",
                      round == 1 ? "once" : fmt::format("{} times", round)));
    }
    const Model& model = judged.model;
    const Certificate& certificate = judged.certificate;
    const std::vector<Expectation>& expected = judged.expected;
    const std::string hash = times().time("digest", [&] { return file_digest.get(); });
    print(
        [&] {
          auto object = certify_json(model, certificate, hash, material, expected, facts());
          add_surface(object, model);
          return object;
        },
        [&] {
          return certify_text(model, certificate, file_label(), hash, material, expected,
                              {.width = width()});
        },
        [&] { return certify_line(model, certificate, expected); });
    if (judged.looked) page.write_one(*this, model, *judged.looked, overwrite);
    const bool met = std::all_of(expected.begin(), expected.end(),
                                 [](const Expectation& e) { return e.is_met() && e.is_told(); });
    return certificate.verdict == Verdict::solid && met ? kAllWell : kErrorsInGeometry;
  }
};

}  // namespace

void add_certify(CLI::App& app, std::vector<std::pair<CLI::App*, Command>>& commands) {
  CLI::App& command =
      *app.add_subcommand("certify", "the verdict: is it a closed solid? With volume and mass");
  const auto session = std::make_shared<CertifyCommand>();
  session->add_input(command);
  session->add_parts_apart(command);
  session->add_each_file(command);
  command.add_option("--density", session->density, "such as 7850kg/m3 or 2.7g/cm3");
  command.add_option("--expect-volume", session->expected_volume,
                     "such as 1.25e6mm3; a bare number is in the model's unit cubed");
  command.add_option("--expect-mass", session->expected_mass, "such as 2.1kg; needs --density");
  command.add_option("--within", session->within, "how far off an expectation may be")
      ->capture_default_str();
  command.add_option("--profile", session->profile_file,
                     "TOML file whose waivers say which parts may lie in each other");
  session->page.add(command);
  command.add_flag("--overwrite", session->overwrite, "replace the page if it exists");
  session->add_common(command);
  command.footer(
      "Exit status 1 unless the verdict is solid and every expectation is met. Parts that\n"
      "cross, lie in each other's material or are there twice are not solid together.\n"
      "Examples: aguja certify pod.stl --density 1.05g/cm3 --expect-mass 0.3kg\n"
      "          aguja certify --each-file parts/*.step");
  commands.emplace_back(&command,
                        [session] { return session->run([&] { return session->run_command(); }); });
}

}  // namespace aguja::app
