#pragma once
// The parts of Garza, a made-up river-gauge float, computed from parameters. Every part is facetted
// by construction, so its volume is known in closed form: that of the facets, not of the smooth
// body they stand for.

#include <numbers>

#include "aguja/model/model.h"

namespace aguja::demo {

/// A part with what is known about it. Lengths in millimetres.
struct KnownPart {
  Part part;
  double volume;  ///< of the facetted part, closed form
  std::size_t shells;
};

/// The pod: a hull with a domed keel, a flange with bolt holes, a neck with blind ports in its cap,
/// and a sealed cavity inside. Axis z, keel at z = 0.
struct PodShape {
  int segments = 96;  ///< around the axis; a multiple of 8
  double hull_radius = 40, keel_height = 30, flange_height = 120;
  double flange_radius = 52, flange_thickness = 8;
  double neck_radius = 30, neck_height = 12;
  double wall = 4;
  double bolt_circle = 46, bolt_radius = 2.5;                ///< eight through-holes in the flange
  double port_circle = 17, port_radius = 5, port_depth = 8;  ///< four wells in the cap
};
[[nodiscard]] KnownPart make_pod(const PodShape& shape = {});

/// A ring of rectangular section below the flange; one hole, so genus 1.
[[nodiscard]] KnownPart make_ballast_ring();
/// A disc above the cap.
[[nodiscard]] KnownPart make_lid();

/// A ball in `rings` x `rings` patches, each of 2 x 2 facets (at the poles triangles).
[[nodiscard]] KnownPart make_ball(double radius, int rings);
/// A closed box between two corners, two triangles a side.
[[nodiscard]] Mesh make_box(const Point& low, const Point& high);

}  // namespace aguja::demo
