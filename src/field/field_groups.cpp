// field_groups.cpp: see field_groups.h.
//
// Files hold frames, transforms need series: long stretches of rows are read as they are, and turned into
// series near the core, a few at a time (field_kernels.h). Short stretches would cost a call of the system
// each.
#include "field/field_groups.h"

#include <algorithm>
#include <cmath>
#include <future>

#include "base/machine/threads.h"

namespace vprism {

namespace {

/// Some of the chosen points, as a source gives them.
struct Group {
  std::size_t first = 0, count = 0;  ///< Of the chosen points.
  std::vector<PointRun> runs;        ///< Of the source's points.
  std::vector<std::size_t> series;   ///< Of the chosen points' variables, among what the runs hold.
  std::size_t read = 0;              ///< Points in the runs.
};

/// Groups that fit into the memory; points a few bytes apart are read with those between them.
std::vector<Group> group_points(const PointSource& source, const ChosenPoints& chosen, std::size_t bytes) {
  constexpr std::size_t together = 32;  // Those that are worked on together stay so.
  const std::size_t variables = source.recording().variables.size(),
                    most = std::max<std::size_t>(1, bytes / (8 * source.series_length() * variables)),
                    between = source.by_frames() ? 4096 / (8 * variables) : 0;
  std::vector<Group> out;
  std::size_t end = 0;  // Behind the last point read.
  for (std::size_t i = 0; i < chosen.points.size(); ++i) {
    const std::size_t p = chosen.points[i];
    const auto near = [&] { return p >= end && p - end <= between; };
    const std::size_t ahead = i % together == 0 ? std::min(together, chosen.points.size() - i) : 1;
    if (out.empty() || out.back().read + (near() ? p - end : 0) + ahead > most) {
      out.emplace_back();
      out.back().first = i;
    }
    Group& g = out.back();
    if (!g.runs.empty() && near()) {
      g.read += p - end + 1;
      g.runs.back().count += p - end + 1;
    } else {
      g.runs.push_back({p, 1});
      ++g.read;
    }
    end = p + 1;
    for (const std::size_t v : chosen.variables) g.series.push_back((g.read - 1) * variables + v);
    ++g.count;
  }
  return out;
}

/// A group's points read into memory, with frames that are left out as missing.
void fill(PointSource& source, const Group& group, const FieldSettings& settings, GroupRoom& room) {
  const auto frames = static_cast<std::size_t>(source.recording().frames);
  const std::size_t series = group.read * source.recording().variables.size();
  const bool rows = source.by_frames();
  // Rows are an odd number of lines long: those of many frames would share a few lines of the cache
  // otherwise.
  const std::size_t step = rows ? ((series + 7) / 8 | 1) * 8 : source.series_length();
  const std::size_t size = step * (rows ? frames : series);
  if (room.values.size() < size) {
    room.values = FftArray<double>(1);  // Not both at a time.
    room.values = FftArray<double>(std::max(size, settings.group_bytes / 8));
  }
  const std::span<double> values = room.values.span().first(size);
  source.read(group.runs, values, step);
  room.view = {values.data(), rows ? 1 : step, rows ? step : 1};
  for (const std::size_t f : settings.leave_out)
    for (std::size_t s = 0; f < frames && s < series; ++s)
      values[s * room.view.series_step + f * room.view.number_step] = std::nan("");
}

}  // namespace

void run_groups(PointSource& source, const ChosenPoints& chosen, const FieldSettings& settings,
                FieldEstimator& estimator, GroupRooms& rooms,
                const std::function<void(std::size_t)>& listed) {
  const std::vector<Group> groups = group_points(source, chosen, settings.group_bytes);
  const auto fetch = [&](std::size_t i) {
    return in_background([&, i] { fill(source, groups[i], settings, rooms[i % 2]); });
  };
  std::future<void> next = fetch(0);
  for (std::size_t i = 0; i < groups.size(); ++i) {
    next.get();
    if (i + 1 < groups.size()) next = fetch(i + 1);
    const Group& group = groups[i];
    estimator.add(group.first, group.count, rooms[i % 2].view, group.series);
    if (listed) listed(group.first + group.count);
  }
}

}  // namespace vprism
