// speed_course.h: the course of one line that moves through the band all through a record.
#pragma once

#include <cstddef>
#include <optional>
#include <span>
#include <vector>

namespace vprism {

/// Powers of half-overlapping segments under a Hann window, over the median around each bin.
struct RaisedMap {
  std::size_t length = 0, hop = 0, bins = 0, columns = 0;
  double rate_hz = 0;
  std::vector<float> score;  ///< log(1 + power over the median around), column by column.
  double bin_hz() const { return rate_hz / static_cast<double>(length); }
  double at(std::size_t bin, std::size_t column) const {
    return static_cast<double>(score[column * bins + bin]);
  }
  /// Of the segment's middle, since the record's start.
  double time_s(std::size_t column) const {
    return (static_cast<double>(column * hop) + 0.5 * static_cast<double>(length)) / rate_hz;
  }
};

RaisedMap raised_map(std::span<const double> x, double rate_hz, std::size_t length);

/// A line whose phase is `ratio` times the course's, and what it counts.
struct CourseLine {
  double ratio = 1, weight = 1;
};

struct SpeedCourse {
  RaisedMap map;                              ///< With the length of segments that shows the line best.
  std::vector<double> hz;                     ///< In each of its columns.
  std::size_t first_seen = 0, last_seen = 0;  ///< Columns between which it stands out.
  std::vector<double> phase;                  ///< In radians, at each sample.
  /// In the middles of the first and the last segment in which it stands out.
  double from_s = 0, to_s = 0, from_hz = 0, to_hz = 0, from_std_hz = 0, to_std_hz = 0;
  std::size_t turns = 0;           ///< How often it turns round.
  double low_hz = 0, high_hz = 0;  ///< Its lowest and highest on the mean over half a segment.
  /// The phase from the places.
  void lay_phase(std::span<const double> x);
  /// Places and phase anew, by a line of that ratio near where it should be: one that moves more is known
  /// better.
  void centre_on(std::span<const double> x, double ratio);
  /// The lines lead: what they are ahead of the phase on the mean, smoothed, is added to it.
  void follow(std::span<const double> x, std::span<const CourseLine> lines, std::size_t length);
};

/// The path through the map that stands highest above its surroundings and moves by three bins a column at
/// the most (dynamic programming), its phase then followed by the line itself. Nothing where it does not
/// stand out in nine tenths of the columns, moves by less than a tenth of its middle, eight bins of the map
/// or twelve of the record, or turns round more than sixty times.
std::optional<SpeedCourse> find_speed_course(std::span<const double> x, double rate_hz);

}  // namespace vprism
