// Remedies that plans may name already: their steps are refused and say so.

#include "aguja/mend/remedy.h"

namespace aguja::remedies {

constinit const RemedyInfo refine = {
    .slug = "refine", .what = "better triangles within a stated deviation", .settings = {}};
constinit const RemedyInfo wrap = {
    .slug = "wrap", .what = "a closed surface around what cannot be mended", .settings = {}};

}  // namespace aguja::remedies
