// points.cpp: see points.h: which reader a path is for, and the two that need no library.
//
// A folder of tables: every file whose name holds a number is a frame, in the order of the last number in its
// name; numbers that are left out are frames that are missing. Each table has columns x and y (and z), and
// variables. Points are matched by their places, so that tables may list them in any order and leave some
// out.
#include "formats/points.h"

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <map>
#include <numeric>

#include "base/error.h"
#include "base/text.h"
#include "formats/saved_transforms.h"

namespace vprism {

namespace {

namespace fs = std::filesystem;

/// The last number in a name, -1 without one.
long long number_in(const std::string& name) {
  std::size_t end = name.size();
  while (end > 0 && !std::isdigit(static_cast<unsigned char>(name[end - 1]))) --end;
  std::size_t begin = end;
  while (begin > 0 && end - begin < 15 && std::isdigit(static_cast<unsigned char>(name[begin - 1]))) --begin;
  return begin == end ? -1 : std::atoll(name.substr(begin, end - begin).c_str());
}

struct FrameFile {
  long long number;
  std::string path;
};

/// All samples of a recording, channel by channel.
std::vector<std::vector<double>> all_of(SampleSource& source) {
  source.resolve();
  std::vector<std::vector<double>> columns(source.recording().channels.size());
  Block block = source.make_block();
  while (source.read(block) > 0)
    for (std::size_t c = 0; c < columns.size(); ++c)
      columns[c].insert(columns[c].end(), block.samples(c).begin(), block.samples(c).end());
  return columns;
}

/// Columns of a frame's table: places first, then variables.
struct TableColumns {
  std::array<std::optional<std::size_t>, 3> place;
  std::array<double, 3> factor = {1, 1, 1};
  std::vector<std::size_t> variables;
};

TableColumns columns_of(const Recording& r, const std::string& path) {
  TableColumns out;
  for (std::size_t c = 0; c < r.channels.size(); ++c) {
    const std::string name = lower_case(r.channels[c].name);
    bool placed = false;
    for (std::size_t d = 0; d < 3; ++d)
      if (!out.place[d] &&
          (name == std::string(1, "xyz"[d]) || name == std::string(1, "xyz"[d]) + "-coordinate" ||
           name == std::string("coordinate ") + "xyz"[d])) {
        out.place[d] = c;
        const Unit metre = Unit::parse("m");
        if (r.channels[c].unit.converts_to(metre) && !r.channels[c].unit.dimensionless())
          out.factor[d] = r.channels[c].unit.convert(1, metre);
        placed = true;
      }
    const bool counts = name == "point" || name == "node" || name == "index" || name == "no." ||
                        name == "no" || name == "id" || name == "nodenumber" || name == "node number";
    if (!placed && !counts) out.variables.push_back(c);
  }
  if (!out.place[0] || !out.place[1])
    throw Error(Status::input,
                path + ": no columns called x and y; a frame's table holds the places of its points");
  if (out.variables.empty()) throw Error(Status::input, path + ": places, but no variable beside them");
  return out;
}

Caution caution(const char* code, std::string text, std::string remedy) {
  return {code, Severity::warning, "", std::move(text), std::move(remedy)};
}

}  // namespace

std::unique_ptr<PointSource> open_point_tables(const std::string& folder, const PointReadSettings& settings) {
  std::vector<FrameFile> files;
  std::error_code code;
  for (const auto& entry : fs::directory_iterator(folder, code)) {
    if (!entry.is_regular_file() || entry.path().filename().string().front() == '.') continue;
    const long long number = number_in(entry.path().stem().string());
    if (number >= 0) files.push_back({number, entry.path().string()});
  }
  if (code) throw Error(Status::input, folder + ": the folder can't be read: " + code.message());
  if (files.size() < 4)
    throw Error(Status::input,
                folder + ": " + std::to_string(files.size()) +
                    " files with a number in their name; a recording of points has one for each frame");
  std::sort(files.begin(), files.end(), [](const FrameFile& a, const FrameFile& b) {
    return a.number != b.number ? a.number < b.number : a.path < b.path;
  });
  // The step that most numbers are apart.
  std::map<long long, int> steps;
  for (std::size_t i = 1; i < files.size(); ++i) ++steps[files[i].number - files[i - 1].number];
  const long long step =
      std::max<long long>(1, std::max_element(steps.begin(), steps.end(), [](const auto& a, const auto& b) {
                               return a.second < b.second;
                             })->first);
  const long long span = (files.back().number - files.front().number) / step + 1;
  if (span > 4 * static_cast<long long>(files.size()) + 64)
    throw Error(Status::input, folder + ": the numbers in the files' names run from " +
                                   std::to_string(files.front().number) + " to " +
                                   std::to_string(files.back().number) + " for " +
                                   std::to_string(files.size()) +
                                   " files; put the frames of one recording into the folder");
  PointRecording recording;
  recording.file = folder;
  recording.frames = span;
  ReadSettings read = settings.read;
  read.axis = "none";
  read.no_rows = true;                        // A row is a point.
  read.missing = ReadSettings::Missing::gap;  // A point without a number is missing in that frame.
  read.rate_hz = 1;
  read.interval_s.reset(), read.duration_s.reset();
  using Place = std::array<double, 3>;
  std::map<Place, std::size_t> index;
  // [frame][point][variable], as frames come; points may be added later.
  std::vector<std::vector<double>> frames(static_cast<std::size_t>(span));
  std::vector<std::string> names;
  std::size_t variables = 0;
  long long came_late = 0;
  for (std::size_t i = 0; i < files.size(); ++i) {
    const auto source = open_recording(files[i].path, read);
    const std::vector<std::vector<double>> columns = all_of(*source);
    const TableColumns where = columns_of(source->recording(), files[i].path);
    if (i == 0) {
      recording.format = "a table for each frame, " + source->recording().format;
      for (const std::size_t c : where.variables)
        recording.variables.push_back(source->recording().channels[c]),
            names.push_back(source->recording().channels[c].name);
      variables = names.size();
    } else if (where.variables.size() != variables) {
      throw Error(Status::input, files[i].path + ": " + std::to_string(where.variables.size()) +
                                     " variables, the first frame has " + std::to_string(variables));
    }
    const auto place_of = static_cast<std::size_t>((files[i].number - files.front().number) / step);
    std::vector<double>& frame = frames[place_of];
    frame.assign(recording.points.size() * variables, std::nan(""));
    std::size_t expected = 0;
    for (std::size_t row = 0; row < columns[0].size(); ++row) {
      Place place{};
      for (std::size_t d = 0; d < 3; ++d)
        if (where.place[d]) place[d] = columns[*where.place[d]][row] * where.factor[d];
      if (std::isnan(place[0]) || std::isnan(place[1]) || std::isnan(place[2])) continue;
      // Nearly always the same order as before.
      std::size_t p = recording.points.size();
      if (expected < recording.points.size() && recording.points[expected].x == place[0] &&
          recording.points[expected].y == place[1] && recording.points[expected].z == place[2]) {
        p = expected;
      } else {
        const auto found = index.find(place);
        if (found != index.end()) p = found->second;
      }
      if (p == recording.points.size()) {
        index[place] = p;
        recording.points.push_back({static_cast<std::int64_t>(p) + 1, place[0], place[1], place[2]});
        frame.resize(recording.points.size() * variables, std::nan(""));
        if (i > 0) ++came_late;
      }
      for (std::size_t v = 0; v < variables; ++v) frame[p * variables + v] = columns[where.variables[v]][row];
      expected = p + 1;
    }
  }
  const std::size_t points = recording.points.size();
  if (static_cast<double>(points) * static_cast<double>(span) * static_cast<double>(variables) > 1e9)
    throw Error(Status::input,
                folder + ": over 1e9 values; convert the tables to HDF5 [frame, point, component]");
  if (span > static_cast<long long>(files.size()))
    recording.cautions.push_back(
        caution("frames-missing",
                std::to_string(span - static_cast<long long>(files.size())) + " of " + std::to_string(span) +
                    " frames are missing by the numbers in the names; they are bridged by straight lines",
                "copy the folder again, or gate to a part without gaps with --frames"));
  std::size_t partial = 0;
  std::vector<double> values(points * variables * static_cast<std::size_t>(span), std::nan(""));
  for (std::size_t f = 0; f < frames.size(); ++f) {
    if (!frames[f].empty() && frames[f].size() < points * variables) ++partial;
    for (std::size_t s = 0; s < frames[f].size(); ++s)
      values[s * static_cast<std::size_t>(span) + f] = frames[f][s];
  }
  std::size_t absent = 0;
  for (std::size_t p = 0; p < points; ++p)
    for (std::size_t f = 0; f < frames.size(); ++f)
      if (!frames[f].empty() && std::isnan(values[p * variables * static_cast<std::size_t>(span) + f])) {
        ++absent;
        break;
      }
  if (absent > 0)
    recording.cautions.push_back(
        caution("points-come-and-go",
                std::to_string(absent) + " of " + std::to_string(points) + " points are not in every frame" +
                    (came_late > 0 ? ", " + std::to_string(came_late) + " of them not in the first" : ""),
                "those with few gaps are bridged by straight lines, the others left out"));
  make_names_distinct(recording.variables);
  Recording timed;
  timed.file = folder;
  timed.samples = span;
  settle_interval(timed, settings.read, 0, "");
  recording.axis = timed.axis;
  return std::make_unique<HeldPoints>(std::move(recording), std::move(values));
}

std::unique_ptr<PointSource> open_point_channels(const std::string& path, const PointReadSettings& settings) {
  const auto source = open_recording(path, settings.read);
  const std::vector<std::vector<double>> columns = all_of(*source);
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
