#include "aguja/mend/resolve.h"

#include "aguja/mend/remedy.h"

namespace aguja::remedies {
namespace {

constexpr SettingInfo kResolveSettings[] = {
    {"nested", SettingType::word,
     "cavity, merged: what a closed shell in the material is that faces as what is around it"},
    {"accept_negative", SettingType::flag,
     "space that the surface winds around backwards is empty"},
    {"contact", SettingType::word,
     "part, join: what becomes of bodies that meet in an edge or a vertex alone"}};

Change run_resolve(const RemedyInput& in) {
  ResolveOptions options;
  options.round_to_float = in.round_to_float;
  options.crack_tolerance = in.tolerance;
  options.accept_negative = in.settings.flag("accept_negative").value_or(false);
  if (const auto nested = in.settings.word("nested")) {
    if (*nested == "cavity") {
      options.nested = Nested::cavity;
    } else if (*nested == "merged") {
      options.nested = Nested::merged;
    } else {
      in.settings.fail("'nested' is cavity or merged, not '" + *nested + "'");
    }
  }
  if (const auto contact = in.settings.word("contact")) {
    if (*contact != "part" && *contact != "join") {
      in.settings.fail("'contact' is part or join, not '" + *contact + "'");
    }
    options.contact = *contact == "part" ? ContactAs::parted : ContactAs::joined;
  }
  if (in.target.is_picked) options.only = in.target.triangles;
  options.asks_contact = in.target.has(FindingKind::nonmanifold_edge) ||
                         in.target.has(FindingKind::nonmanifold_vertex);
  Change change = aguja::resolve(in.mesh, options, in.budget, in.progress);
  // A result that is no solid is refused: then the question says more than the count.
  if (!options.contact && !options.asks_contact && change.done > 0 &&
      in.known.edge_counts().nonmanifold == 0) {
    for (Refusal& question : questions_of_contacts(change.mesh, true)) {
      change.refused.push_back(std::move(question));
    }
  }
  return change;
}

}  // namespace

constinit const RemedyInfo resolve = {
    .slug = "resolve",
    .what = "crossings, overlaps and walls inside become one clean boundary of the part",
    .settings = kResolveSettings,
    .keeps_material = true,
    .run = run_resolve};

}  // namespace aguja::remedies
