#pragma once
/// \file
/// Units of length, mass and density, and quantities as people type them.

#include <optional>
#include <span>
#include <string>
#include <string_view>

namespace aguja {

/// A unit of length. Coordinates are never rescaled to it: the model carries it beside them.
enum class LengthUnit { micrometre, millimetre, centimetre, metre, inch, foot };

[[nodiscard]] std::span<const LengthUnit> all_length_units();
/// `um`, `mm`, `cm`, `m`, `in`, `ft`.
[[nodiscard]] std::string_view symbol(LengthUnit unit);
/// `micrometres`, `millimetres`, ... , for sentences.
[[nodiscard]] std::string_view name(LengthUnit unit);
/// Exact by definition (the inch is 25.4 mm), as near as a double comes to it.
[[nodiscard]] double metres_per(LengthUnit unit);
/// The one nearest to so many metres, as a ratio.
[[nodiscard]] LengthUnit nearest_length_unit(double metres);
/// By symbol, or nothing.
[[nodiscard]] std::optional<LengthUnit> parse_length_unit(std::string_view text);
/// The factor that takes coordinates in `from` to coordinates in `to`; exactly 1 for equal units.
[[nodiscard]] double conversion(LengthUnit from, LengthUnit to);

/// A number that a person typed, with the unit that stood behind it.
/// Each function reads all of `text` or throws `ArgumentError` saying what was expected.
/// Numbers are read without regard to the locale and must be finite.

/// `0.05mm`, `2e-3in`, or a bare number in `bare`; the result is in `bare`.
[[nodiscard]] double parse_length(std::string_view text, LengthUnit bare);
/// `12mm3`, `0.4in3`, `1.5l`, `3ml`, or a bare number in `bare` cubed; the result is in `bare`
/// cubed.
[[nodiscard]] double parse_volume(std::string_view text, LengthUnit bare);
/// `2kg`, `150g`, `2lb`, `1t`, or a bare number in kilograms; the result is in kilograms.
[[nodiscard]] double parse_mass(std::string_view text);
/// `7850kg/m3`, `7.85g/cm3`, `0.28lb/in3`, `7.85e-9t/mm3`, or a bare number in kg/m3; the result is
/// in kg/m3.
[[nodiscard]] double parse_density(std::string_view text);
/// `30deg`, `0.5rad`, or a bare number in degrees; the result is in radians.
[[nodiscard]] double parse_angle(std::string_view text);
/// `0.1%` or a bare number, which is a percentage too; the result is a fraction (0.001).
[[nodiscard]] double parse_percentage(std::string_view text);

/// The shortest decimal that reads back to the same double.
[[nodiscard]] std::string shortest(double value);

}  // namespace aguja
