#include "aguja/model/part_change.h"

namespace aguja {

std::string_view slug(PartFate fate) {
  switch (fate) {
    case PartFate::changed:
      return "changed";
    case PartFate::born:
      return "born";
    case PartFate::split:
      return "split";
    case PartFate::merged:
      return "merged";
    case PartFate::gone:
      break;
  }
  return "gone";
}

}  // namespace aguja
