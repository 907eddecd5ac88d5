#include <iostream>

#include <aguja/formats/read.h>
#include <aguja/geometry/predicates.h>
#include <aguja/report/text.h>

int main() {
  const std::string text =
      "OFF\n4 4 0\n0 0 0\n1 0 0\n0 1 0\n0 0 1\n3 0 2 1\n3 0 1 3\n3 0 3 2\n3 1 2 3\n";
  const aguja::Model model = aguja::read_model(aguja::Source{"tetrahedron.off", text});
  const aguja::Certificate certificate = aguja::certify(model);
  std::cout << aguja::certify_text(model, certificate, "tetrahedron.off", "", {}, {});
  // The inline predicate must be exact in the consumer's build too, whatever its flags.
  const bool exact = aguja::orient2d(0.1, 0.1, 0.2, 0.2, 0.3, 0.3) ==
                     aguja::detail::orient2d_rational(0.1, 0.1, 0.2, 0.2, 0.3, 0.3);
  return exact && certificate.encloses ? 0 : 1;
}
