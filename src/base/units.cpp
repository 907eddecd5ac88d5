#include "aguja/base/units.h"

#include <array>
#include <charconv>
#include <cmath>
#include <limits>
#include <numbers>
#include <system_error>

#include "aguja/base/error.h"

namespace aguja {
namespace {

// In micrometres all units are whole numbers, so that the ratio of two is rounded only once.
struct LengthUnitRow {
  LengthUnit unit;
  std::string_view symbol;
  std::string_view name;
  double micrometres;
};
constexpr std::array<LengthUnitRow, 6> kLengths = {{
    {LengthUnit::micrometre, "um", "micrometres", 1},
    {LengthUnit::millimetre, "mm", "millimetres", 1000},
    {LengthUnit::centimetre, "cm", "centimetres", 10000},
    {LengthUnit::metre, "m", "metres", 1000000},
    {LengthUnit::inch, "in", "inches", 25400},
    {LengthUnit::foot, "ft", "feet", 304800},
}};

double micrometres_per(LengthUnit unit) {
  return kLengths.at(static_cast<std::size_t>(unit)).micrometres;
}

struct Symbol {
  std::string_view name;
  double factor;
};
constexpr std::array<Symbol, 5> kMasses = {
    {{"kg", 1.0}, {"g", 1e-3}, {"t", 1e3}, {"lb", 0.45359237}, {"oz", 0.028349523125}}};

struct Quantity {
  double number;
  std::string_view unit;
};

Quantity split(std::string_view text, std::string_view what) {
  std::string_view rest = text;
  if (rest.starts_with('+')) rest.remove_prefix(1);
  double number = 0;
  const auto [end, error] = std::from_chars(rest.data(), rest.data() + rest.size(), number);
  if (error != std::errc() || !std::isfinite(number)) {
    throw ArgumentError(std::string(what) + ": expected a finite number and perhaps a unit, got '" +
                        std::string(text) + "'");
  }
  rest.remove_prefix(static_cast<std::size_t>(end - rest.data()));
  while (rest.starts_with(' ')) rest.remove_prefix(1);
  return {number, rest};
}

[[noreturn]] void unknown_unit(std::string_view what, std::string_view unit,
                               std::string_view known) {
  throw ArgumentError(std::string(what) + ": unknown unit '" + std::string(unit) + "'; known are " +
                      std::string(known));
}

template <std::size_t N>
std::optional<double> factor_of(const std::array<Symbol, N>& table, std::string_view name) {
  for (const Symbol& row : table) {
    if (row.name == name) return row.factor;
  }
  return std::nullopt;
}

/// Cubic metres in one of a unit such as `mm3` or `l`.
std::optional<double> cubic_metres(std::string_view unit) {
  if (unit == "l") return 1e-3;
  if (unit == "ml") return 1e-6;
  if (!unit.ends_with('3')) return std::nullopt;
  unit.remove_suffix(1);
  if (unit.ends_with('^')) unit.remove_suffix(1);
  const auto length = parse_length_unit(unit);
  if (!length) return std::nullopt;
  const double side = metres_per(*length);
  return side * side * side;
}

}  // namespace

std::span<const LengthUnit> all_length_units() {
  static constexpr std::array<LengthUnit, 6> kAll = {LengthUnit::micrometre, LengthUnit::millimetre,
                                                     LengthUnit::centimetre, LengthUnit::metre,
                                                     LengthUnit::inch,       LengthUnit::foot};
  return kAll;
}

std::string_view symbol(LengthUnit unit) {
  return kLengths.at(static_cast<std::size_t>(unit)).symbol;
}

std::string_view name(LengthUnit unit) { return kLengths.at(static_cast<std::size_t>(unit)).name; }

LengthUnit nearest_length_unit(double metres) {
  // Of two that are as near, the more usual one.
  constexpr LengthUnit kUsualFirst[] = {LengthUnit::millimetre, LengthUnit::metre,
                                        LengthUnit::centimetre, LengthUnit::inch,
                                        LengthUnit::foot,       LengthUnit::micrometre};
  constexpr double kAsNearAsAnother = 1e-9;  // of logarithms
  LengthUnit best = LengthUnit::millimetre;
  double off = std::numeric_limits<double>::infinity();
  for (const LengthUnit u : kUsualFirst) {
    const double ratio = std::fabs(std::log(metres_per(u) / metres));
    if (ratio < off - kAsNearAsAnother) off = ratio, best = u;
  }
  return best;
}

double metres_per(LengthUnit unit) { return micrometres_per(unit) / 1e6; }

std::optional<LengthUnit> parse_length_unit(std::string_view text) {
  for (const LengthUnitRow& row : kLengths) {
    if (row.symbol == text) return row.unit;
  }
  return std::nullopt;
}

double conversion(LengthUnit from, LengthUnit to) {
  return micrometres_per(from) / micrometres_per(to);
}

double parse_length(std::string_view text, LengthUnit bare) {
  const auto [number, unit] = split(text, "length");
  if (unit.empty()) return number;
  const auto known = parse_length_unit(unit);
  if (!known) unknown_unit("length", unit, "um, mm, cm, m, in, ft");
  return number * conversion(*known, bare);
}

double parse_volume(std::string_view text, LengthUnit bare) {
  const auto [number, unit] = split(text, "volume");
  const std::string own = std::string(symbol(bare)) + "3";
  if (unit.empty() || unit == own) return number;
  const auto known = cubic_metres(unit);
  if (!known) unknown_unit("volume", unit, "um3, mm3, cm3, m3, in3, ft3, ml, l");
  return number * (*known / *cubic_metres(own));
}

double parse_mass(std::string_view text) {
  const auto [number, unit] = split(text, "mass");
  if (unit.empty()) return number;
  const auto known = factor_of(kMasses, unit);
  if (!known) unknown_unit("mass", unit, "kg, g, t, lb, oz");
  return number * *known;
}

double parse_density(std::string_view text) {
  const auto [number, unit] = split(text, "density");
  if (unit.empty()) return number;
  const std::size_t slash = unit.find('/');
  const auto mass = factor_of(kMasses, unit.substr(0, slash));
  const auto volume = slash == std::string_view::npos ? std::optional<double>()
                                                      : cubic_metres(unit.substr(slash + 1));
  if (!mass || !volume) unknown_unit("density", unit, "kg/m3, g/cm3, t/mm3, lb/in3 and the like");
  return number * *mass / *volume;
}

double parse_angle(std::string_view text) {
  const auto [number, unit] = split(text, "angle");
  if (unit.empty() || unit == "deg") return number * (std::numbers::pi / 180.0);
  if (unit != "rad") unknown_unit("angle", unit, "deg, rad");
  return number;
}

double parse_percentage(std::string_view text) {
  const auto [number, unit] = split(text, "percentage");
  if (!unit.empty() && unit != "%") unknown_unit("percentage", unit, "%");
  return number / 100.0;
}

std::string shortest(double value) {
  std::array<char, 32> buffer{};
  const auto result = std::to_chars(buffer.data(), buffer.data() + buffer.size(), value);
  return {buffer.data(), result.ptr};
}

}  // namespace aguja
