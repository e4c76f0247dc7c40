// point_tables.cpp: a folder with a table for each frame.
//
// Each table has columns x and y (and z) and variables. Points are matched by their places, so that tables
// may list them in any order and leave some out. A column of times that is the same in all rows, or a line
// "time = ..." above them, gives the frame's time.
#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <map>

#include "base/error.h"
#include "base/text.h"
#include "formats/frame_names.h"
#include "formats/points.h"
#include "formats/text/tables/like_tables.h"
#include "formats/text/tables/text_columns.h"

namespace vprism {

namespace {

namespace fs = std::filesystem;

/// Columns of a frame's table: places first, then variables.
struct TableColumns {
  std::array<std::optional<std::size_t>, 3> place;
  std::array<double, 3> factor = {1, 1, 1};
  std::vector<std::size_t> variables;
  std::optional<std::size_t> time;
  std::vector<std::string> passed_over;  ///< Places in pixels beside those in a unit of length.
};

/// 0 to 2 of "x", "X [mm]", "x-coordinate", "coordinate x", "pos_x", "xpos"; -1 for any other name.
int direction_of(std::string title) {
  // The second of two equal names: "x (2)".
  if (const std::size_t open = title.rfind(" (");
      open != std::string::npos && title.back() == ')' &&
      title.find_first_not_of("0123456789", open + 2) == title.size() - 1)
    title.resize(open);
  std::string name;
  for (const char c : lower_case(title))
    if (c != ' ' && c != '_' && c != '-' && c != '.') name += c;
  for (int d = 0; d < 3; ++d) {
    const std::string letter(1, "xyz"[d]);
    for (const char* word : {"", "coordinate", "coord", "pos", "position", "location", "loc"})
      if (name == letter + word || name == word + letter) return d;
    for (const char* word : {"px", "pixel", "pixels", "mm", "m", "cm"})
      if (name == letter + word) return d;
  }
  return -1;
}

bool is_length(const Channel& c) {
  return c.unit.known() && !c.unit.dimensionless() && c.unit.converts_to(Unit::parse("m"));
}

TableColumns columns_of(const Recording& r, const std::string& path, const std::string& coordinates) {
  TableColumns out;
  std::vector<bool> placed(r.channels.size(), false);
  const auto take = [&](std::size_t d, std::size_t c) {
    out.place[d] = c;
    out.factor[d] = is_length(r.channels[c]) ? r.channels[c].unit.convert(1, Unit::parse("m")) : 1;
  };
  if (!coordinates.empty()) {
    const std::vector<std::string> wanted = split(coordinates, ',');
    if (wanted.size() < 2 || wanted.size() > 3)
      throw Error(Status::usage, "--coordinates: write the columns of x and y (and z), such as X,Y,Z");
    std::vector<std::string> names;
    for (const Channel& c : r.channels) names.push_back(c.name);
    for (std::size_t d = 0; d < wanted.size(); ++d) {
      const std::string name(trimmed(wanted[d]));
      const auto found =
          std::find_if(names.begin(), names.end(), [&](const std::string& n) { return n == name; });
      if (found == names.end())
        throw Error(Status::usage, "--coordinates: " + path + ": " + unknown_name("column", name, names));
      take(d, static_cast<std::size_t>(found - names.begin()));
      placed[*out.place[d]] = true;
    }
  }
  for (std::size_t c = 0; c < r.channels.size(); ++c) {
    const Channel& channel = r.channels[c];
    const int d = direction_of(channel.name);
    if (d < 0 || placed[c]) continue;
    const auto at = static_cast<std::size_t>(d);
    placed[c] = true;
    // Of two, the one in a unit of length.
    if (!out.place[at] ||
        (coordinates.empty() && is_length(channel) && !is_length(r.channels[*out.place[at]]))) {
      if (out.place[at]) out.passed_over.push_back(r.channels[*out.place[at]].name);
      take(at, c);
    } else {
      out.passed_over.push_back(channel.name);
    }
  }
  for (std::size_t c = 0; c < r.channels.size(); ++c) {
    const std::string name = lower_case(r.channels[c].name);
    if (placed[c]) continue;
    if (!out.time && (name == "time" || name == "t" || name == "timestamp") &&
        (r.channels[c].unit.dimensionless() || r.channels[c].unit.converts_to(Unit::parse("s")))) {
      out.time = c;
      continue;
    }
    const bool counts = name == "point" || name == "node" || name == "index" || name == "no." ||
                        name == "no" || name == "id" || name == "nodenumber" || name == "node number" ||
                        name == "frame";
    if (!counts) out.variables.push_back(c);
  }
  if (!out.place[0] || !out.place[1])
    throw Error(Status::input,
                path +
                    ": no columns called x and y; a frame's table holds the places of its points: name them "
                    "with --coordinates X,Y,Z");
  if (out.variables.empty()) throw Error(Status::input, path + ": places, but no variable beside them");
  return out;
}

/// In seconds; NaN where the table says none.
double time_of_frame(const LikeTable& table, const TableColumns& where) {
  if (where.time) {
    const std::vector<double>& column = table.columns[*where.time];
    if (column.empty() ||
        std::adjacent_find(column.begin(), column.end(), std::not_equal_to<>()) != column.end())
      return std::nan("");
    const Unit& unit = table.recording.channels[*where.time].unit;
    return column.front() * (unit.dimensionless() ? 1 : unit.convert(1, Unit::parse("s")));
  }
  for (const auto& [key, value] : table.recording.notes) {
    const Channel title = channel_from_title(key);
    const std::string name = lower_case(title.name);
    if (name != "time" && name != "t" && name != "solution time" && name != "solutiontime") continue;
    double number = 0;
    const std::size_t end = value.find_first_not_of("+-.0123456789eE");
    if (!parse_cell(std::string_view(value).substr(0, end), '.', number)) continue;
    const auto unit = end == std::string::npos
                          ? std::optional(title.unit)
                          : Unit::try_parse(trimmed(std::string_view(value).substr(end)));
    return number * (unit && !unit->dimensionless() && unit->converts_to(Unit::parse("s"))
                         ? unit->convert(1, Unit::parse("s"))
                         : 1);
  }
  return std::nan("");
}

/// What is said of single tables, once, with how many say it; not what is meant for recordings in time.
class TableCautions {
 public:
  void add(const Recording& table) {
    static constexpr std::string_view of_times[] = {"axis-counts",  "axis-assumed", "axis-unit-assumed",
                                                    "axis-repeats", "rate-unknown", "rate-disagrees",
                                                    "channel-dead"};
    for (const Caution& c : table.cautions) {
      if (std::find(std::begin(of_times), std::end(of_times), c.code) != std::end(of_times)) continue;
      auto [at, fresh] = first_.try_emplace(c.code, c, 0);
      ++at->second.second;
    }
  }
  void report_to(PointRecording& recording, std::size_t tables) const {
    for (const auto& [code, said] : first_) {
      Caution c = said.first;
      c.text = "in " + std::to_string(said.second) + " of " + std::to_string(tables) + " tables: " + c.text;
      recording.cautions.push_back(std::move(c));
    }
  }

 private:
  std::map<std::string, std::pair<Caution, std::size_t>> first_;
};

Caution point_caution(const char* code, std::string text, std::string remedy) {
  return {code, Severity::warning, "", std::move(text), std::move(remedy)};
}

/// Frames as they come, points matched by their places.
class Gathered {
 public:
  Gathered(PointRecording& recording, std::size_t frames) : recording_(recording), frames_(frames) {}

  void add(std::size_t at, const LikeTable& table, const TableColumns& where, bool first) {
    const std::vector<std::vector<double>>& columns = table.columns;
    variables_ = where.variables.size();
    std::vector<double>& frame = frames_[at];
    frame.assign(recording_.points.size() * variables_, std::nan(""));
    std::size_t expected = 0;
    for (std::size_t row = 0; row < columns[0].size(); ++row) {
      Place place{};
      for (std::size_t d = 0; d < 3; ++d)
        if (where.place[d]) place[d] = columns[*where.place[d]][row] * where.factor[d];
      if (std::isnan(place[0]) || std::isnan(place[1]) || std::isnan(place[2])) continue;
      // Nearly always the same order as before.
      std::size_t p = recording_.points.size();
      if (expected < recording_.points.size() && recording_.points[expected].x == place[0] &&
          recording_.points[expected].y == place[1] && recording_.points[expected].z == place[2]) {
        p = expected;
      } else if (const auto found = index_.find(place); found != index_.end()) {
        p = found->second;
      }
      if (p == recording_.points.size()) {
        index_[place] = p;
        recording_.points.push_back({static_cast<std::int64_t>(p) + 1, place[0], place[1], place[2]});
        frame.resize(recording_.points.size() * variables_, std::nan(""));
        if (!first) ++came_late_;
      }
      for (std::size_t v = 0; v < variables_; ++v)
        frame[p * variables_ + v] = columns[where.variables[v]][row];
      expected = p + 1;
    }
  }

  /// [point][variable][frame]; frames are given up on the way.
  std::vector<double> turned() {
    const std::size_t series = recording_.points.size() * variables_, span = frames_.size();
    std::vector<double> values(series * span, std::nan(""));
    present_.assign(span, false);
    // In pieces that stay in the caches.
    constexpr std::size_t at_once = 32;
    oneapi::tbb::parallel_for(std::size_t{0}, (series + at_once - 1) / at_once, [&](std::size_t piece) {
      const std::size_t from = piece * at_once, to = std::min(series, from + at_once);
      for (std::size_t f = 0; f < span; ++f)
        for (std::size_t s = from; s < std::min(to, frames_[f].size()); ++s)
          values[s * span + f] = frames_[f][s];
    });
    for (std::size_t f = 0; f < span; ++f) present_[f] = !frames_[f].empty();
    frames_.clear();
    return values;
  }

  void report(const std::vector<double>& values) {
    const std::size_t span = present_.size(), points = recording_.points.size();
    std::size_t absent = 0;
    for (std::size_t p = 0; p < points; ++p)
      for (std::size_t f = 0; f < span; ++f)
        if (present_[f] && std::isnan(values[p * variables_ * span + f])) {
          ++absent;
          break;
        }
    if (absent > 0)
      recording_.cautions.push_back(point_caution(
          "points-come-and-go",
          std::to_string(absent) + " of " + std::to_string(points) + " points are not in every frame" +
              (came_late_ > 0 ? ", " + std::to_string(came_late_) + " of them not in the first" : ""),
          "those with few gaps are bridged by straight lines, the others left out"));
  }

  /// Which frames there are, once turned.
  const std::vector<bool>& present() const { return present_; }

 private:
  using Place = std::array<double, 3>;
  PointRecording& recording_;
  std::map<Place, std::size_t> index_;
  std::vector<std::vector<double>> frames_;  ///< [frame][point][variable]; points may be added later.
  std::vector<bool> present_;
  std::size_t variables_ = 0;
  long long came_late_ = 0;
};

/// The rate by the frames' times, unless the user gives one.
void settle_frames(PointRecording& recording, const std::vector<double>& times,
                   const std::vector<bool>& present, const ReadSettings& settings) {
  Recording timed;
  timed.file = recording.file;
  timed.samples = recording.frames;
  // Frames that are missing have none.
  std::vector<std::pair<double, double>> known;
  std::size_t untimed = 0;
  for (std::size_t f = 0; f < times.size(); ++f)
    if (!std::isnan(times[f]))
      known.emplace_back(static_cast<double>(f), times[f]);
    else if (present[f])
      ++untimed;
  double interval = 0;
  if (known.size() > 1 && untimed == 0) {
    const auto [first, begin] = known.front();
    interval = (known.back().second - begin) / (known.back().first - first);
    double worst = 0;
    for (const auto& [f, t] : known) worst = std::max(worst, std::abs(t - begin - interval * (f - first)));
    if (interval > 0 && worst > 0.05 * interval)
      recording.cautions.push_back(point_caution(
          "times-uneven",
          "the frames' times are not even, up to " + format_quantity(worst, "s", 3) + " off a straight line",
          "give --rate if they should be"));
    if (!(interval > 0)) interval = 0;
  }
  settle_interval(timed, settings, interval, "frames' times");
  if (interval > 0) timed.axis.start = known.front().second - interval * known.front().first;
  recording.axis = timed.axis;
  recording.cautions.insert(recording.cautions.end(), timed.cautions.begin(), timed.cautions.end());
}

}  // namespace

std::unique_ptr<PointSource> open_point_tables(const std::string& folder, const PointReadSettings& settings) {
  std::vector<std::string> paths;
  std::error_code code;
  for (const auto& entry : fs::directory_iterator(folder, code))
    if (entry.is_regular_file() && entry.path().filename().string().front() != '.')
      paths.push_back(entry.path().string());
  if (code) throw Error(Status::input, folder + ": the folder can't be read: " + code.message());
  std::sort(paths.begin(), paths.end());
  const FrameSeries series = frame_series(folder, paths, settings.read.part);
  PointRecording recording;
  recording.file = folder;
  recording.frames = series.frames;
  recording.cautions = series.cautions;
  ReadSettings read = settings.read;
  read.axis = "none", read.part.clear();
  read.no_rows = true;                        // A row is a point.
  read.missing = ReadSettings::Missing::gap;  // A point without a number is missing in that frame.
  read.rate_hz = 1;
  read.interval_s.reset(), read.duration_s.reset();
  const LikeTables tables(series.files.front().path, read);
  Gathered gathered(recording, static_cast<std::size_t>(series.frames));
  std::vector<double> times(static_cast<std::size_t>(series.frames), std::nan(""));
  TableColumns where;
  TableCautions cautions;
  constexpr std::size_t at_once = 64;
  for (std::size_t from = 0; from < series.files.size(); from += at_once) {
    std::vector<LikeTable> read_tables(std::min(at_once, series.files.size() - from));
    oneapi::tbb::parallel_for(std::size_t{0}, read_tables.size(), [&](std::size_t k) {
      read_tables[k] = tables.read(series.files[from + k].path);
    });
    for (std::size_t k = 0; k < read_tables.size(); ++k) {
      const LikeTable& table = read_tables[k];
      const FrameFile& file = series.files[from + k];
      const bool first = from + k == 0;
      cautions.add(table.recording);
      const TableColumns here = columns_of(table.recording, file.path, settings.coordinates);
      if (first) {
        where = here;
        recording.format = "a table for each frame, " + table.recording.format;
        for (const std::size_t c : where.variables)
          recording.variables.push_back(table.recording.channels[c]);
        if (!where.passed_over.empty())
          recording.cautions.push_back(
              {"coordinates-chosen", Severity::note, "",
               "the columns \"" + clean_text(where.passed_over.front()) + "\"" +
                   (where.passed_over.size() > 1 ? ", ..." : "") +
                   " hold places, too; those in a unit of length, else the first, are used",
               "--coordinates X,Y,Z names others"});
      } else if (here.variables.size() != where.variables.size()) {
        throw Error(Status::input, file.path + ": " + std::to_string(here.variables.size()) +
                                       " variables, the first frame has " +
                                       std::to_string(where.variables.size()));
      }
      const auto at =
          static_cast<std::size_t>(std::llround((file.number - series.files.front().number) / series.step));
      times[at] = time_of_frame(table, here);
      gathered.add(at, table, here, first);
    }
    if (static_cast<double>(recording.points.size()) * static_cast<double>(series.frames) *
            static_cast<double>(where.variables.size()) >
        1e9)
      throw Error(Status::input,
                  folder + ": over 1e9 values; convert the tables to HDF5 [frame, point, component]");
  }
  if (const auto missing = series.frames - static_cast<std::int64_t>(series.files.size()); missing > 0)
    recording.cautions.push_back(point_caution(
        "frames-missing",
        std::to_string(missing) + " of " + std::to_string(series.frames) +
            " frames are missing by the numbers in the names; they are bridged by straight lines",
        "copy the folder again, or gate to a part without gaps with --frames"));
  std::vector<double> values = gathered.turned();
  gathered.report(values);
  cautions.report_to(recording, series.files.size());
  make_names_distinct(recording.variables);
  settle_frames(recording, times, gathered.present(), settings.read);
  return std::make_unique<HeldPoints>(std::move(recording), std::move(values));
}

}  // namespace vprism
