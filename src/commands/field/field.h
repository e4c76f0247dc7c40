// field.h: what the command `field` is set to, finds, and tells.
#pragma once

#include <string>
#include <vector>

#include "field/field.h"
#include "field/places.h"
#include "field/shape_pairs.h"
#include "formats/points.h"
#include "frame/option_groups.h"
#include "render/document.h"
#include "render/figure.h"

namespace vprism {

/// A line of points from one to another, by their labels.
struct LineAsked {
  std::int64_t from = 0, to = 0;
};

struct FieldTaskSettings {
  PointReadSettings read;
  FieldSettings field;
  std::vector<std::string> variables;
  std::vector<std::int64_t> spectra_of;  ///< Labels of points whose spectra are drawn and written.
  std::optional<std::int64_t> phase_to;
  std::vector<LineAsked> lines;
  std::string derived;
  std::vector<Place> points_at;                   ///< The same by their places,
  std::vector<std::pair<Place, Place>> lines_at;  ///< and lines by their ends' places.
  std::optional<Range> frame_times;               ///< Frames by their times, in seconds.
  std::optional<Range> span;                      ///< Of the spectra, in Hz.
  std::optional<bool> frequency_logarithmic;
  std::optional<std::pair<double, double>> levels;  ///< Range of the amplitude maps.
  std::size_t colours = 0;                          ///< Steps of the colours; 0: smooth.
  bool logarithmic = false;                         ///< Maps of levels in dB.
  double exaggeration = 0;  ///< Largest deflection as a share of the surface's size; 0: 0.15.
  bool animate = false;
  std::vector<std::string> also;
  std::string versus;  ///< Saved shapes of another run.
};

struct FieldReport {
  InputFacts facts;
  PointRecording recording;  ///< As read; axis, frames.
  FieldResult result;
  std::vector<PointLine> lines;
  std::vector<FieldShape> versus;   ///< Of the other run,
  std::vector<Node> versus_points;  ///< and where its points lie.
  std::vector<ShapePair> pairs;
};

// commands/field/choice.cpp
/// Frames whose times lie within those asked for. Throws Error(usage), as the two below.
void frames_by_time(const PointRecording& r, const Range& times, FieldSettings& field);
/// The point nearest to a place; a place beside the field is no place of it.
std::size_t index_at(const std::vector<Node>& points, const Place& place, const char* option,
                     const std::string& file);
/// The point of that number.
std::size_t index_of(const std::vector<Node>& points, std::int64_t label, const char* option,
                     const std::string& file);

// commands/field/report.cpp
void report_field(const FieldReport& listed, const FieldTaskSettings& settings, Delivery& delivery);
std::string field_csv(const FieldReport& listed);
std::string field_spectrum_csv(const FieldReport& listed);
std::string field_lines_csv(const FieldReport& listed);

// commands/field/figure.cpp
/// Mean and greatest spectrum, peaks numbered; level in time; spectra of single points.
Figure field_spectrum_figure(const FieldReport& listed, const FieldTaskSettings& settings);
/// Amplitude and phase of every shape, each point's maximum and its frequency.
Figure field_maps_figure(const FieldReport& listed, const FieldTaskSettings& settings);
/// A shape in 3-D at one instant of its period, 0 to 1.
Figure field_shape_figure(const FieldReport& listed, std::size_t shape, double instant,
                          const FieldTaskSettings& settings);
Figure field_lines_figure(const FieldReport& listed);

// commands/field/export.cpp
std::string field_vtk(const FieldReport& listed);
std::string field_universal(const FieldReport& listed);
void write_field_hdf5(const FieldReport& listed, const std::string& path);
/// What that wrote. Throws Error(input).
ShapeSet read_field_hdf5(const std::string& path);

}  // namespace vprism
