// maps.h: what the commands that make maps share: files, and levels in colours.
#pragma once

#include <memory>
#include <optional>

#include "formats/files/map_writer.h"
#include "formats/files/output_folder.h"
#include "frame/options.h"
#include "identify/events/map_events.h"
#include "transform/maps/level_map.h"

namespace vprism {

/// `--map`: a name of map_format_table(), or "none".
Option map_option(std::string& kind, const char* what);
/// Null for "none".
std::unique_ptr<MapWriter> open_map(OutputFolder& folder, const std::string& kind, const std::string& base,
                                    const std::string& what, const MapAxes& axes, std::size_t rows);

/// How a map of levels is shown.
struct MapLook {
  std::string title;
  FigureAxis x;  ///< Ends are set from the map.
  std::string y_quantity = "Frequency", y_unit = "Hz";
  double offset = 0;              ///< Added to the map's times.
  bool logarithmic = false;       ///< The frequency axis; 0 Hz and below is left out then.
  double to_db = 0;               ///< Added to the mean squares in dB.
  std::string level_unit;         ///< "dB re 1 V"
  std::optional<Range> range_db;  ///< As shown; found from the map where not given.
};

/// A panel with the map in no more cells than the picture has, each the greatest of those it stands for, and
/// the range of its colours.
struct MapPanel {
  Panel panel;
  LevelRange range;  ///< As shown.
};
MapPanel map_panel(const LevelMap& map, const MapLook& look);
/// "colours -95 to -20 dB (12% of cells below, 0.01% above)"
std::string range_text(const LevelRange& range);
/// Beyond so many channels a caption does not give the range of each.
inline constexpr std::size_t most_ranges = 8;

/// For a channel whose gaps leave no segment: its map is empty.
Caution no_segment(const std::string& channel, std::size_t segment);

/// An outline with a number in a map.
void outline(Panel& panel, double x0, double x1, double y0, double y1, const std::string& label);

/// A map to a file, rows by time; `value` turns a mean square into what is written.
void write_level_map(OutputFolder& folder, const std::string& kind, const std::string& base,
                     const std::string& what, const LevelMap& map, double offset_s, MapAxes names,
                     const std::function<double(double)>& value);

/// "dB re 1 V"; without a unit "dB re 1".
inline std::string decibels_of(const Unit& unit) {
  return unit.text() == "1" ? "dB re 1" : "dB re 1 " + unit.label();
}

}  // namespace vprism
