// spectrogram.h: what `spectrogram` hands from measuring to telling, tables and pictures.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "commands/shared/events_report.h"
#include "commands/shared/input.h"
#include "frame/analysis_options.h"
#include "identify/events/map_events.h"
#include "identify/events/ridges.h"
#include "render/figure.h"
#include "transform/maps/spectrogram.h"

namespace vprism {

/// A line through the map: a spectrum at a time, or a level against time at a frequency.
struct MapSlice {
  bool at_time = false;
  double where = 0;
  std::string name() const;
};

struct SpectrogramTaskSettings {
  AnalysisSettings analysis;
  std::optional<double> overlap, hop_s;
  std::vector<MapSlice> slices;
  bool waterfall = false, sharpen = false, logarithmic = false;
  bool every = false;  ///< Every segment in the file with the numbers.
  std::size_t ridges = 5, columns = 1200;
  std::optional<Range> range_db;
  std::string map = "hdf5", second_look = "auto";
};

struct SpectrogramOfChannel {
  Spectrogram spectrogram;
  std::vector<MapEvent> events;
  std::vector<EventFit> fits;  ///< Of each event on the samples; none of complex channels.
  std::vector<Ridge> ridges;
};

struct SpectrogramResult {
  Input* input = nullptr;
  InputFacts facts;
  SpectrumPlan plan;
  SpectrogramSettings settings;
  std::vector<SpectrogramOfChannel> channels;
};

/// A result's levels as they were asked for.
struct SpectrogramShown {
  const SpectrogramTaskSettings& settings;
  const SpectrogramResult& result;

  const Channel& channel(std::size_t c) const { return result.facts.recording.channels[c]; }
  /// Of a mean square.
  double level(double power) const;
  /// The same, in dB where they were asked for.
  double value(double power) const;
  /// What a mean square in dB is off the level that is shown.
  double to_db() const;
  std::string level_unit(std::size_t c) const;
  std::vector<TimedEvent> events(std::size_t c) const;
  Curve slice(std::size_t c, const MapSlice& slice) const;
  /// How the record was cut.
  std::string cut() const;
};

void report_spectrogram(const SpectrogramShown& shown, Delivery& delivery);
std::string spectrogram_slices_csv(const SpectrogramShown& shown);

Figure spectrogram_figure(const SpectrogramShown& shown);
Figure spectrogram_waterfall(const SpectrogramShown& shown);

}  // namespace vprism
