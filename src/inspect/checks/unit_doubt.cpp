// unit-doubt: the whole model is very small or very large in the unit that was stated or assumed.

#include "inspect/checks.h"

namespace aguja {

void check_unit(const Model& model, const ResolvedLimits& limits, FindingSink& sink) {
  const Box box = box_of(model);
  const double size = box.diagonal();
  const bool small = size < limits[Limit::smallest_model];
  if (size == 0 || (!small && size <= limits[Limit::largest_model])) return;
  Finding finding;
  finding.kind = FindingKind::unit_doubt;
  finding.count = 1;
  finding.measure = box.diagonal();
  finding.limit = limits[small ? Limit::smallest_model : Limit::largest_model];
  finding.box = box;
  finding.place = box.center();
  finding.detail = std::string(model.unit_assumed ? "assumed" : "stated") + " unit " +
                   std::string(symbol(model.unit)) +
                   (small ? "; a larger unit is likelier" : "; a smaller unit is likelier");
  const Point corners[] = {box.low, box.high};
  sink.add(std::move(finding), corners);
}

}  // namespace aguja
