#pragma once
// Texts of STEP and IGES files, put together for tests.

#include <string>
#include <vector>

#include <gtest/gtest.h>

namespace aguja::test {

inline std::string step_file(const std::string& data) {
  return "ISO-10303-21;\nHEADER;\nFILE_SCHEMA(('X'));\nENDSEC;\nDATA;\n" + data +
         "\nENDSEC;\nEND-ISO-10303-21;\n";
}
inline const std::string kEnd = "ENDSEC;\nEND-ISO-10303-21;\n";
// So that entities can be added.
inline std::string without_end(std::string text) {
  text.erase(text.size() - kEnd.size());
  return text;
}
// The first entity of a type, as #number.
inline std::string first_of(const std::string& text, const std::string& type) {
  const std::size_t at = text.find("=" + type + "(");
  const std::size_t start = text.rfind('#', at);
  return text.substr(start, at - start);
}
inline std::string replaced(std::string text, const std::string& from, const std::string& to) {
  const std::size_t at = text.find(from);
  EXPECT_NE(at, std::string::npos) << from;
  if (at != std::string::npos) text.replace(at, from.size(), to);
  return text;
}

struct IgesLine {
  int type = 0;
  std::string parameters;  // after the type
  int form = 0;
  int level = 0;
  int matrix = 0;
  std::string status = "00000000";
};
inline const std::string kIgesGlobal =
    "1H,,1H;,1Hx,1Hx,1Hx,1Hx,32,38,6,308,15,1Hx,1.,2,2HMM,1,0.01,1Hx,1E-6,1.;";
// The entities as directory entries 1, 3, 5, ..., in fixed form.
inline std::string iges_file(const std::vector<IgesLine>& entities,
                             const std::string& global = kIgesGlobal) {
  const auto right = [](const std::string& t, std::size_t n) {
    return std::string(n - std::min(n, t.size()), ' ') + t;
  };
  const auto line = [&](std::string text, char section, std::size_t number) {
    text.resize(72, ' ');
    return text + section + right(std::to_string(number), 7) + "\n";
  };
  std::string directory, data;
  std::size_t rows = 0;
  for (std::size_t i = 0; i < entities.size(); ++i) {
    const IgesLine& e = entities[i];
    std::string text = std::to_string(e.type) + "," + e.parameters + ";";
    const std::size_t first = rows + 1;
    for (std::size_t at = 0; at < text.size(); at += 64) {
      std::string part = text.substr(at, 64);
      part.resize(64, ' ');
      data += line(part + right(std::to_string(2 * i + 1), 8), 'P', ++rows);
    }
    const auto f = [&](long long n) { return right(std::to_string(n), 8); };
    directory += line(f(e.type) + f(static_cast<long long>(first)) + f(0) + f(0) + f(e.level) +
                          f(0) + f(e.matrix) + f(0) + e.status,
                      'D', 2 * i + 1);
    directory += line(f(e.type) + f(0) + f(0) + f(static_cast<long long>(rows + 1 - first)) +
                          f(e.form) + std::string(16, ' ') + right("PLAIN", 8) + f(0),
                      'D', 2 * i + 2);
  }
  return line("made by a test", 'S', 1) + line(global, 'G', 1) + directory + data +
         line("S1G1D1P1", 'T', 1);
}

}  // namespace aguja::test
