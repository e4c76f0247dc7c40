// points.cpp: see points.h: which reader a path is for, and channels that name the points they were measured
// at.
#include "formats/points.h"

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <map>

#include "base/error.h"
#include "base/text.h"
#include "formats/arrays/saved_transforms.h"

namespace vprism {

namespace {

namespace fs = std::filesystem;

}  // namespace

std::unique_ptr<PointSource> open_point_channels(const std::string& path, const PointReadSettings& settings) {
  const auto source = open_recording(path, settings.read);
  const std::vector<std::vector<double>> columns = all_samples(*source);
  const Recording& r = source->recording();
  PointRecording recording;
  recording.file = path, recording.format = r.format;
  recording.axis = r.axis;
  recording.frames = r.samples;
  recording.cautions = r.cautions;
  std::map<long long, const Node*> nodes;
  for (const Node& node : r.nodes) nodes[node.label] = &node;
  struct Place {
    std::size_t point, variable, channel;
  };
  std::vector<Place> places;
  std::map<long long, std::size_t> points;
  std::map<std::string, std::size_t> variables;
  for (std::size_t c = 0; c < r.channels.size(); ++c) {
    const Channel& channel = r.channels[c];
    char* end = nullptr;
    const long long label = std::strtoll(channel.point.c_str(), &end, 10);
    const auto node = nodes.find(label);
    if (channel.point.empty() || end == channel.point.c_str() || node == nodes.end()) continue;
    const auto [at, fresh] = points.try_emplace(label, recording.points.size());
    if (fresh) recording.points.push_back(*node->second);
    const std::string kind = channel.quantity + " " + end;
    const auto [variable, first] =
        variables.try_emplace(kind + channel.unit.text(), recording.variables.size());
    if (first) recording.variables.push_back({std::string(trimmed(kind)), channel.unit, channel.quantity});
    places.push_back({at->second, variable->second, c});
  }
  if (recording.points.size() < 2)
    throw Error(
        Status::input,
        path +
            ": its channels name no points with places; a recording of points is an HDF5 file with a data "
            "set [frame, point, component], a folder of tables, or a universal file with nodes");
  if (r.axis.stamped || r.axis.domain != Axis::Domain::time)
    throw Error(Status::analysis, path + ": frames at even times are needed");
  const auto frames = static_cast<std::size_t>(r.samples);
  std::vector<double> values(recording.points.size() * recording.variables.size() * frames, std::nan(""));
  for (const Place& place : places)
    std::copy(columns[place.channel].begin(), columns[place.channel].end(),
              values.begin() + static_cast<std::ptrdiff_t>(
                                   (place.point * recording.variables.size() + place.variable) * frames));
  return std::make_unique<HeldPoints>(std::move(recording), std::move(values));
}

std::unique_ptr<PointSource> open_points(const std::string& path, const PointReadSettings& settings) {
  std::error_code code;
  if (fs::is_directory(path, code)) return open_point_tables(path, settings);
  const FileHead head = read_head(path);
  if (recognises_hdf5(head)) {
    if (auto saved = open_saved_transforms(head)) return saved;
    return open_hdf5_points(head, settings);
  }
  return open_point_channels(path, settings);
}

}  // namespace vprism
