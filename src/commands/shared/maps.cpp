// maps.cpp: see maps.h.
#include "commands/shared/maps.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "frame/option_groups.h"

namespace vprism {

namespace {

constexpr std::size_t most_wide = 1100, most_high = 560;

/// Rows evenly spaced in the logarithm of frequency: each the greatest of the rows within it, or the nearest.
LevelMap by_octaves(const LevelMap& map, std::size_t rows) {
  LevelMap out;
  out.start_s = map.start_s, out.step_s = map.step_s;
  out.resize(rows, map.columns);
  const double low = std::log10(map.frequency_hz.front()), high = std::log10(map.frequency_hz.back());
  const double step = (high - low) / static_cast<double>(rows - 1);
  for (std::size_t r = 0; r < rows; ++r) {
    const double middle = low + step * static_cast<double>(r);
    out.frequency_hz[r] = std::pow(10, middle);
    std::size_t from = map.row_at(std::pow(10, middle - step / 2)),
                to = map.row_at(std::pow(10, middle + step / 2));
    if (to > from + 1) ++from, --to;  // Those at the edges belong to the neighbours.
    for (std::size_t c = 0; c < map.columns; ++c)
      for (std::size_t k = from; k <= to; ++k)
        if (std::isnan(out.at(r, c)) || map.at(k, c) > out.at(r, c)) out.at(r, c) = map.at(k, c);
  }
  return out;
}

}  // namespace

Option map_option(std::string& kind, const char* what) {
  std::vector<std::string> names;
  for (const MapFormat& format : map_format_table()) names.emplace_back(format.name);
  names.emplace_back("none");
  std::string shown;
  for (const std::string& name : names) shown += (shown.empty() ? "" : "|") + name;
  return {"map",
          shown,
          what,
          false,
          [&kind, names](const std::string& t) {
            (void)choice("kind of map", t, names);
            kind = t;
          },
          [&kind] { return Json(kind); }};
}

std::unique_ptr<MapWriter> open_map(OutputFolder& folder, const std::string& kind, const std::string& base,
                                    const std::string& what, const MapAxes& axes, std::size_t rows) {
  for (const MapFormat& format : map_format_table())
    if (kind == format.name) return format.open(folder.place(base + format.ending, what), axes, rows);
  return nullptr;
}

void write_level_map(OutputFolder& folder, const std::string& kind, const std::string& base,
                     const std::string& what, const LevelMap& map, double offset_s, MapAxes names,
                     const std::function<double(double)>& value) {
  names.x = map.frequency_hz;
  const auto writer = open_map(folder, kind, base, what, names, map.columns);
  if (!writer) return;
  std::vector<double> row(map.rows());
  for (std::size_t c = 0; c < map.columns; ++c) {
    for (std::size_t r = 0; r < map.rows(); ++r) row[r] = value(map.at(r, c));
    writer->row(offset_s + map.time_s(c), row);
  }
  writer->finish();
}

MapPanel map_panel(const LevelMap& whole, const MapLook& look) {
  LevelMap map =
      look.logarithmic
          ? whole.cropped(std::max(1e-300, whole.frequency_hz[std::min<std::size_t>(1, whole.rows() - 1)]),
                          {})
          : whole;
  map = look.logarithmic
            ? by_octaves(map.reduced(SIZE_MAX / 2, most_wide), std::min<std::size_t>(most_high, 400))
            : map.reduced(most_high, most_wide);
  MapPanel out;
  out.range = colour_range(map, look.to_db);
  if (look.range_db) {
    out.range.low_db = look.range_db->low.value_or(out.range.low_db);
    out.range.high_db = look.range_db->high.value_or(out.range.high_db);
    if (!(out.range.low_db < out.range.high_db)) out.range.high_db = out.range.low_db + 20;
  }
  ColourMap image;
  image.columns = map.columns, image.rows = map.rows();
  std::size_t below = 0, above = 0, all = 0;
  for (const float power : map.power) {
    const double db = 10 * std::log10(std::max(static_cast<double>(power), 1e-37)) + look.to_db;
    image.values.push_back(std::isnan(power) ? power : static_cast<float>(db));
    if (std::isnan(power)) continue;
    ++all, below += db<out.range.low_db, above += db> out.range.high_db;
  }
  out.range.below = all > 0 ? static_cast<double>(below) / static_cast<double>(all) : 0;
  out.range.above = all > 0 ? static_cast<double>(above) / static_cast<double>(all) : 0;
  for (float& db : image.values)
    db = std::clamp(db, static_cast<float>(out.range.low_db), static_cast<float>(out.range.high_db));
  image.x_low = look.offset + map.start_s;
  image.x_high = image.x_low + map.step_s * static_cast<double>(map.columns);
  const auto place = [&](double hz) { return look.logarithmic ? std::log10(hz) : hz; };
  const double first = place(map.frequency_hz.front()), last = place(map.frequency_hz.back());
  const double half = map.rows() > 1 ? (last - first) / static_cast<double>(map.rows() - 1) / 2 : 0.5;
  const auto back = [&](double at) { return look.logarithmic ? std::pow(10, at) : at; };
  image.y_low = back(first - half), image.y_high = back(last + half);
  image.quantity = "Level", image.unit = look.level_unit;
  image.low = out.range.low_db, image.high = out.range.high_db;
  out.panel.title = look.title;
  out.panel.x = look.x;
  out.panel.x.low = image.x_low, out.panel.x.high = image.x_high;
  out.panel.y = {look.y_quantity, look.y_unit, look.logarithmic, image.y_low, image.y_high};
  out.panel.map = std::move(image);
  return out;
}

std::string range_text(const LevelRange& range) {
  return fmt::format("colours {:g} to {:g} dB ({:.2g}% of cells below, {:.2g}% above)", range.low_db,
                     range.high_db, 100 * range.below, 100 * range.above);
}

Caution no_segment(const std::string& channel, std::size_t segment) {
  return {"no-data", Severity::serious, channel,
          "no map: no stretch between its gaps is as long as one segment of " + std::to_string(segment) +
              " samples",
          "give a shorter --segment, or leave it out with --channel"};
}

void outline(Panel& panel, double x0, double x1, double y0, double y1, const std::string& label) {
  Curve box;
  box.x = {x0, x1, x1, x0, x0};
  box.y = {y0, y0, y1, y1, y0};
  box.colour = 1;
  panel.curves.push_back(std::move(box));
  panel.marks.push_back({(x0 + x1) / 2, y1, label});
}

}  // namespace vprism
