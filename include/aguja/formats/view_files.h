#pragma once
/// \file
/// Models with columns of numbers, for other viewers: VTK XML PolyData and binary glTF. Written
/// only.

#include <array>
#include <span>

#include "aguja/formats/write.h"
#include "aguja/solid/fields.h"

namespace aguja {

/// VTK XML PolyData: points as doubles, polygons, and for each triangle its part, its patch (as the
/// file brought it) and the `fields`; arrays compressed by zlib, in base64. Names of parts as a
/// string array `part_names`, the unit as `unit`.
/// Errors   ArgumentError (a field of another length), what the sink throws.
/// Source   VTK File Formats (XML formats), VTK User's Guide; version 1.0 of the file type.
void write_vtp(const ByteSink& sink, const Model& model, std::span<const TriangleField> fields);

/// Binary glTF 2.0 in metres with y up: a node a part, named; flat colours by triangle. Positions
/// are floats from the middle of each part, which its node carries.
/// `colours`: by triangle of all parts, red, green, blue; empty: none.
/// Errors   ArgumentError (colours of another length, more than 4 GiB), what the sink throws.
/// Source   Khronos: glTF 2.0 Specification, 2021 (ISO/IEC 12113:2022).
void write_glb(const ByteSink& sink, const Model& model,
               std::span<const std::array<std::uint8_t, 3>> colours);

}  // namespace aguja
