#pragma once
/// \file
/// Outlines of sections for other programs: VTK XML PolyData and SVG. Written only.

#include <span>

#include "aguja/formats/write.h"
#include "aguja/solid/cut_model.h"

namespace aguja {

/// Lines as VTK XML PolyData, in the model's coordinates: closed ones end where they begin. By line
/// the number of its section, whether it is closed, and its area (negative around a hole).
/// Source   VTK File Formats (XML formats), VTK User's Guide.
void write_sections_vtp(const ByteSink& sink, std::span<const PartSection> sections,
                        LengthUnit unit);

/// A drawing in true size: a view of each cutter's plane, against its normal, with the sections of
/// all parts in place, material grey; below it names, areas and lengths.
/// Source   Scalable Vector Graphics (SVG) 1.1, W3C Recommendation, 2011.
void write_sections_svg(const ByteSink& sink, std::span<const PartSection> sections,
                        LengthUnit unit);

}  // namespace aguja
