#pragma once
/// \file
/// Models to files and to bytes.

#include <filesystem>
#include <functional>

#include "aguja/base/progress.h"
#include "aguja/formats/format.h"
#include "aguja/model/model.h"

namespace aguja {

/// What writing did to the model.
struct WriteReport {
  std::vector<std::string> notes;  ///< what the format cannot hold, a line each
  double largest_rounding = 0;     ///< model units: how far rounding to float moved a point
  std::size_t rounded_points = 0;  ///< how many points it moved at all
  std::string digest;              ///< of the file as written; empty when writing to bytes
};

/// Writes `model` to `path`: beside it first, and renamed when whole, so that a reader never sees
/// half a file and a failure leaves what was there. Decimals are the shortest that read back to the
/// same double; binary STL rounds to float and reports it; binary PLY uses float if that loses
/// nothing, else double. Parallel.
/// Errors   OutputError (exists and `overwrite` is false, no space, a coordinate beyond what the
///          format's numbers hold), Cancelled.
/// `examine`, if given, gets the bytes as they are on the disk before the file appears under its
/// name; if it throws, nothing is published and what was there stays.
WriteReport write_model(const std::filesystem::path& path, const Model& model, Format format,
                        const WriteOptions& options = {}, bool overwrite = false,
                        const std::function<void(const Source&)>& examine = {});
WriteReport write_model(const ByteSink& sink, const Model& model, Format format,
                        const WriteOptions& options = {});

/// What `write` puts into its sink, to `path` as above. Returns the digest.
/// Errors   OutputError, and what `write` throws.
std::string write_file(const std::filesystem::path& path,
                       const std::function<void(const ByteSink&)>& write, bool overwrite = false,
                       const std::function<void(const Source&)>& examine = {});

WriteReport write_stl(const ByteSink& sink, const Model& model, const WriteOptions& options = {});
WriteReport write_obj(const ByteSink& sink, const Model& model, const WriteOptions& options = {});
WriteReport write_ply(const ByteSink& sink, const Model& model, const WriteOptions& options = {});
/// ISO 10303-21. Parts whose triangles are still all that was made of their surfaces are written as
/// these, with the very numbers that were read: solids with their voids, and open shells, divided
/// where faces share no edge; all others as faceted bodies, or as tessellations of AP242
/// (`tessellated`). Which way faces and loops run is told by the triangles. Parts of one shape are one
/// product, used several times; names, colours, layers, groups and the unit go with them. The stated
/// uncertainty is the largest tolerance in any body. The time stamp is SOURCE_DATE_EPOCH, else the
/// input's, else that of 1970: never the clock.
WriteReport write_step(const ByteSink& sink, const Model& model, const WriteOptions& options = {});
WriteReport write_off(const ByteSink& sink, const Model& model, const WriteOptions& options = {});

}  // namespace aguja
