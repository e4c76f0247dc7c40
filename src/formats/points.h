// points.h: readers of recordings of many points (signal/points.h).
#pragma once

#include <memory>
#include <string>

#include "formats/format.h"
#include "signal/points.h"

namespace vprism {

/// What the user says about such a file; all of it optional.
struct PointReadSettings {
  ReadSettings read;  ///< Rate, interval, part (the data set of an HDF5 file), delimiter, missing cells.
  std::string coordinates;  ///< Data set of an HDF5 file that holds the places.
};

/// An HDF5 file with a data set [frame][point] or [frame][point][component] and one of places; a folder with
/// one table for each frame, of columns x, y (, z) and any variables; or a recording whose channels name the
/// points they were measured at (universal files with nodes). Throws Error(input).
std::unique_ptr<PointSource> open_points(const std::string& path, const PointReadSettings& settings);

/// Those of single kinds.
std::unique_ptr<PointSource> open_hdf5_points(const FileHead& head, const PointReadSettings& settings);
std::unique_ptr<PointSource> open_point_tables(const std::string& folder, const PointReadSettings& settings);
std::unique_ptr<PointSource> open_point_channels(const std::string& path, const PointReadSettings& settings);

}  // namespace vprism
