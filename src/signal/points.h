// points.h: recordings of many points of a surface or structure: frames one after the other, each with the
// same points and the same variables at each.
#pragma once

#include <span>
#include <string>
#include <vector>

#include "signal/recording.h"

namespace vprism {

struct PointRecording {
  std::string file, format;
  std::vector<Node> points;        ///< Places, in metres or whatever the file counts in.
  std::vector<Channel> variables;  ///< At each point: components of a motion, a pressure, ...
  std::int64_t frames = 0;
  Axis axis;  ///< Of the frames; even.
  std::vector<Caution> cautions;
  std::vector<std::pair<std::string, std::string>> notes;
};

/// What goes with transforms that were saved in place of frames.
struct SavedTransforms {
  std::string window;                    ///< That the series were weighed with, means taken off.
  std::vector<std::vector<double>> rms;  ///< [variable][point]; NaN where left out.
  std::vector<std::vector<double>> mean_square_in_time;  ///< [variable][frame], over all points.
};

/// Points first .. first + count - 1.
struct PointRun {
  std::size_t first = 0, count = 0;
};

/// Series of equal length in memory: number n of series s stands at values[s * series_step + n *
/// number_step].
struct SeriesView {
  const double* values = nullptr;
  std::size_t series_step = 0, number_step = 1;
};

/// Pulled for groups of points, each with all its frames: that is what transforms over time need, and what
/// keeps memory to a group, however many points there are.
class PointSource {
 public:
  virtual ~PointSource() = default;
  virtual const PointRecording& recording() const = 0;
  /// Whether `read` gives frame after frame, as most files hold them, rather than series after series.
  virtual bool by_frames() const { return false; }
  /// Points of some runs, counted on from run to run: out[f * step + p * variables + v] by frames, and
  /// otherwise out[(p * variables + v) * step + f]. NaN where a value is missing. Throws Error(input) for
  /// damaged data.
  virtual void read(std::span<const PointRun> runs, std::span<double> out, std::size_t step) = 0;
  /// Not null: `read` gives, instead of frames, each series' transform: frames / 2 + 1 bins, real and
  /// imaginary parts in turn.
  virtual const SavedTransforms* saved() const { return nullptr; }
  /// Numbers of each series that `read` gives.
  std::size_t series_length() const {
    const auto frames = static_cast<std::size_t>(recording().frames);
    return saved() == nullptr ? frames : 2 * (frames / 2 + 1);
  }
};

/// All in memory: for tables, which hold all points of a frame, and for tests.
class HeldPoints : public PointSource {
 public:
  /// `values` as `read` gives them, of all points.
  HeldPoints(PointRecording recording, std::vector<double> values);
  const PointRecording& recording() const override { return recording_; }
  void read(std::span<const PointRun> runs, std::span<double> out, std::size_t step) override;

 private:
  PointRecording recording_;
  std::vector<double> values_;
};

}  // namespace vprism
