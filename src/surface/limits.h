#pragma once
// Limits of computing with curves and surfaces. They are evaluated in doubles, and files write them
// with seven to sixteen digits: what is one place, or smooth, can only be told to some part of their
// size. Each limit is without a unit unless it says so. None of them decides which side a point lies
// on: that is asked of the facets, exactly.

namespace aguja {

/// Places that are one but for rounding: part of the size of what they lie on. Splines of high degree
/// lose six digits.
inline constexpr double kSamePlace = 1e-9;
/// Parameters that are one but for rounding, where they were found from places: part of the domain or
/// the turn.
inline constexpr double kSameParameter = 1e-9;
/// The same where both come out of one formula; part of the parameter, or radians.
inline constexpr double kParameterRounding = 1e-12;
/// Derivatives that meet without a corner where a curve, or a surface, closes: part of the larger one.
/// Where one bends, files that were written in single precision still pass.
inline constexpr double kSmoothCurve = 1e-6;
inline constexpr double kSmoothSurface = 1e-5;
/// A side of a domain that is a point but for so small a part of the surface's size is a pole: drawn
/// by other programs it is one to seven digits.
inline constexpr double kPoleSize = 1e-7;
/// The least sine between the two derivatives at which they give a normal: a hundred roundings.
inline constexpr double kNoNormal = 1e-14;
/// Step of central differences, as a part of the domain: where the error of the formula (its square)
/// meets that of rounding.
inline constexpr double kDifferenceStep = 1e-5;
/// Squares of lengths below it have lost their digits.
inline constexpr double kLostSquare = 1e-300;
/// Of two places as near to a point, the one that was followed is kept; part of the squared distance.
inline constexpr double kAsNear = 1e-6;
/// A search for a foot ends when the squared distance shrinks by a smaller part of it.
inline constexpr double kSettled = 1e-12;
/// Newton's steps are damped where they would lead away: from the first value, tenfold up to the
/// largest, a tenth after each success, and not at all below the least.
inline constexpr double kFirstDamping = 1e-2, kLeastDamping = 1e-3, kMostDamping = 1e6;
/// Pieces of a curve are not divided below this part of it, nor below so many roundings of its
/// parameters (next).
inline constexpr double kLeastPiece = 1e-6;
inline constexpr double kLeastPieceRounding = 1e-14;
/// Tangents at the ends of a piece are taken this part of it inside, past what may be a corner.
inline constexpr double kInsidePiece = 1e-9;
/// The least height of a facet, as a part of its longest side, at which its normal says something.
inline constexpr double kFacetHeight = 1e-3;
/// Closed curves end where they began to this part of their size; files write ends with seven digits.
inline constexpr double kClosedCurve = 1e-6;
/// An edge whose vertex lies farther from its curve's end than this part of it uses another piece of
/// the curve.
inline constexpr double kEndElsewhere = 1e-3;

}  // namespace aguja
