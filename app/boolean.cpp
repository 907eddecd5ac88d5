// aguja boolean: union, difference and intersection of solids, certified.

#include <sstream>

#include <fmt/format.h>

#include "aguja/mend/resolve.h"
#include "aguja/model/transform.h"
#include "aguja/report/boolean_report.h"
#include "page_output.h"
#include "written_model.h"

namespace aguja::app {
namespace {

struct BooleanCommand : Session {
  std::string operation;
  std::vector<std::string> models;
  std::string parts;  // names with commas between
  std::string tolerance;
  OutputOptions output;
  bool resolve_first = false;
  bool dry_run = false;
  PageOutput page;

  void check_use() const {
    output.check(dry_run);
    page.check(output.overwrite);
    if (models.size() > 1 && !parts.empty()) {
      throw ArgumentError("--parts chooses from one file: give one, or leave it out");
    }
  }

  // A file is a body; of one file alone each part is.
  std::vector<SetOperand> read_operands(Model& all) {
    std::vector<SetOperand> operands;
    times().time("read", [&] {
      for (const std::string& file : models) {
        Model model = read_one(file);
        if (operands.empty() && all.parts.empty()) {
          all = model;
        } else {
          if (model.unit != all.unit) convert_unit(model, all.unit);
          all.parts.insert(all.parts.end(), model.parts.begin(), model.parts.end());
        }
        if (models.size() > 1) {
          const std::string name = model.parts.size() == 1 ? model.parts[0].name : file;
          operands.push_back({name, std::move(model.parts)});
        }
      }
    });
    if (models.size() > 1) return operands;
    if (parts.empty()) {
      for (const Part& part : all.parts) operands.push_back({part.name, {part}});
    }
    std::istringstream names(parts);
    for (std::string name; std::getline(names, name, ',');) {
      SetOperand operand{name, {}};
      for (const Part& part : all.parts) {
        if (part.name == name) operand.parts.push_back(part);
      }
      if (operand.parts.empty()) {
        throw ArgumentError(fmt::format("'{}' has no part '{}'", models[0], name));
      }
      operands.push_back(std::move(operand));
    }
    if (operands.size() < 2) {
      throw ArgumentError(
          "two bodies at least are needed: give two files, or one with several parts");
    }
    return operands;
  }

  void resolve_operands(std::vector<SetOperand>& operands, double budget, BooleanReport& report) {
    for (SetOperand& operand : operands) {
      for (Part& part : operand.parts) {
        const Change change = resolve(with_distinct_points(part.mesh()), {}, {budget}, progress());
        for (const Refusal& r : change.refused) {
          report.resolved_first.push_back(
              fmt::format("'{}' was not resolved: {}", part.name, r.detail));
        }
        if (change.done == 0) continue;
        report.resolved_first.push_back(
            fmt::format("'{}' was resolved first: {}", part.name, change.methods.at(0)));
        PartDraft draft(part);
        draft.facets = {};
        draft.surfaces = {};
        draft.mesh = change.mesh;
        part = Part(std::move(draft));
      }
    }
  }

  int combine_models() {
    check_use();
    Model all;
    std::vector<SetOperand> operands = read_operands(all);
    BooleanReport report;
    report.operation = *parse_set_operation(operation);
    const bool floats = !dry_run && holds_floats_only(output);
    // What lies on each other but for this is brought together; so much moves by rounding, too.
    constexpr double kOfDiagonal = 1e-6;
    Box box;
    for (const Part& part : all.parts) box.extend(box_of(part.mesh()));
    const double budget =
        tolerance.empty() ? kOfDiagonal * box.diagonal() : parse_length(tolerance, all.unit);
    times().time("combine", [&] {
      if (resolve_first) resolve_operands(operands, budget, report);
      report.result = combine_solids(operands, report.operation,
                                     {.round_to_float = floats, .most_moved = budget}, progress());
    });
    Model made;
    made.unit = all.unit;
    made.unit_assumed = all.unit_assumed;
    made.notes = all.notes;
    made.lost = all.lost;
    if (report.result.part) made.parts.push_back(*report.result.part);
    if (report.is_made() && dry_run) {
      report.certificate = certify(made, {}, &times(), progress());
    } else if (report.is_made()) {
      // The certificate is on the file as read back.
      static_cast<WrittenFacts&>(report) = write_and_certify(*this, output, made);
    }
    if (page.is_wanted() && report.is_made()) {
      page.write_two(*this, {all, operation, made, dry_run ? "as it would be" : output.file}, {},
                     output.overwrite);
    }
    print([&] { return boolean_json(made, report, facts()); },
          [&] { return boolean_text(made, report, {.width = width()}); });
    return report.is_made() && report.certificate.verdict == Verdict::solid ? kAllWell
                                                                            : kErrorsInGeometry;
  }
};

}  // namespace

void add_boolean(CLI::App& app, std::vector<std::pair<CLI::App*, Command>>& commands) {
  CLI::App& command =
      *app.add_subcommand("boolean", "union, difference or intersection of solids, then certify");
  const auto session = std::make_shared<BooleanCommand>();
  command
      .add_option("operation", session->operation,
                  "union, difference (the first without the others) or intersection")
      ->required()
      ->check(CLI::IsMember({"union", "difference", "intersection"}).description(""));
  command
      .add_option(
          "models", session->models,
          "a body each, in the first one's unit; or one file, whose parts are the bodies: " +
              formats_read(""))
      ->required();
  command.add_option("--parts", session->parts,
                     "of one file: which parts, in order, by name, such as a,b");
  command.add_flag("--resolve-first", session->resolve_first,
                   "bodies that cross themselves become clean first");
  command.add_option("--tolerance", session->tolerance,
                     "how far apart what is brought together may be, such as 0.001mm; a millionth "
                     "of the diagonal if left out");
  session->output.add(command);
  session->page.add(command);
  command.add_flag("--dry-run", session->dry_run, "show what would come of it; write nothing");
  session->add_reading(command);
  // A file is a body as it is.
  command.remove_option(command.get_option("--as-one"));
  session->add_common(command);
  command.footer(
      "Exit status 1 unless a solid comes of it.\nExample: aguja boolean difference block.stl "
      "bore.stl -o bored.stl");
  commands.emplace_back(
      &command, [session] { return session->run([&] { return session->combine_models(); }); });
}

}  // namespace aguja::app
