// options.cpp: the command `field`.
#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <future>

#include "base/error.h"
#include "base/machine/threads.h"
#include "base/text.h"
#include "commands/field/field.h"
#include "commands/shared/input.h"
#include "field/calibrated_points.h"
#include "formats/arrays/saved_transforms.h"
#include "formats/files/file_digest.h"
#include "frame/analysis_options.h"
#include "frame/command.h"
#include "frame/console.h"
#include "transform/time/derived.h"

namespace vprism {

namespace {

std::size_t whole(const std::string& text, long long least) {
  return static_cast<std::size_t>(parse_whole_number(std::string(trimmed(text)), least));
}

class FieldTask : public Task {
 public:
  std::size_t threads() const override { return output_.threads; }

  std::vector<OptionGroup> options() override {
    FieldSettings& field = settings_.field;
    return {
        {"Input",
         {quantity_option("rate", "FREQUENCY", "frames a second (default: as the file says)",
                          Dimension::frequency, settings_.read.read.rate_hz),
          quantity_option("interval", "TIME", "time from frame to frame, instead of a rate", Dimension::time,
                          settings_.read.read.interval_s),
          text_option(
              "part", "DATA SET",
              "data set [frame, point, component] of an HDF5 file (default: the largest), or one of several "
              "recordings in a folder of tables",
              settings_.read.read.part),
          text_option("coordinates", "DATA SET|X,Y,Z",
                      "data set [point, 2 or 3] with the places, or columns of a folder's tables (default: "
                      "found)",
                      settings_.read.coordinates),
          {"variable", "NAME|NUMBER|GLOB", "variables to look at (default: all)", true,
           [this](const std::string& t) { settings_.variables.push_back(t); },
           [this] { return Json(settings_.variables); }},
          {"frames", "A..B|T1..T2",
           "frames to use, from 0, or by their times, such as 10ms..0.5s (default: all)", false,
           [this](const std::string& t) { take_frames(t); },
           [this, &field] {
             const auto& times = settings_.frame_times;
             if (times)
               return Json{{"from_s", times->low ? Json(*times->low) : Json(nullptr)},
                           {"to_s", times->high ? Json(*times->high) : Json(nullptr)}};
             return Json{{"first", field.first_frame ? Json(*field.first_frame) : Json(nullptr)},
                         {"last", field.last_frame ? Json(*field.last_frame) : Json(nullptr)}};
           }},
          count_option("frame-step", "take every so manieth frame (default: 1)", 1, 1000000000,
                       field.frame_step),
          {"leave-out", "FRAME,A..B,...", "frames that count as missing", true,
           [&field](const std::string& t) {
             for (const std::string& part : split(t, ',')) {
               const std::size_t dots = part.find("..");
               const std::size_t first = whole(part.substr(0, dots), 0),
                                 last = dots == std::string::npos ? first : whole(part.substr(dots + 2), 0);
               if (last < first || last - first > 10000000)
                 throw Error(Status::usage, "\"" + clean_text(part) + "\" is no range of frames");
               for (std::size_t f = first; f <= last; ++f) field.leave_out.push_back(f);
             }
           },
           [&field] { return Json(field.leave_out); }},
          {"region", "BOUNDS", "points within, such as 'x 0..0.2m, y 100mm..'", false,
           [this](const std::string& t) {
             settings_.field.region = parse_region(t);
             region_ = t;
           },
           [this] { return Json(region_); }},
          count_option("every-point",
                       "take every so manieth row and column of points, or point where they fill no grid "
                       "(default: 1)",
                       1, 1000000000, field.every),
          quantity_option("smooth", "LENGTH", "amplitudes as means over the points within this distance",
                          Dimension::length, smooth_),
          unit_option(calibrated_, "variable"),
          calibrate_option(calibrated_, "variable")}},
        {"Field",
         {{"window", "NAME",
           "window over the frames (default: rectangular where the motion dies away, hann otherwise)", false,
           [&field](const std::string& t) { field.window = parse_window(t); },
           [&field] { return Json(field.window ? field.window->name() : "auto"); }},
          {"at", "FREQUENCY,...", "frequencies whose shapes are listed (default: the peaks)", true,
           [&field](const std::string& t) {
             for (const std::string& part : split(t, ','))
               field.at_hz.push_back(parse_positive(std::string(trimmed(part)), Dimension::frequency));
           },
           [&field] { return Json(field.at_hz); }},
          count_option("peaks", "how many peaks to look at (default: 4)", 1, 64, field.most_peaks),
          {"derive", "QUANTITY", "show displacement, velocity or acceleration of another of the three", false,
           [this](const std::string& t) {
             (void)motion_order(std::string_view(t));
             settings_.derived = t;
           },
           [this] { return Json(settings_.derived); }},
          {"phase-to", "POINT",
           "point (its number) that phases are relative to (default: the one that moves most)", false,
           [this](const std::string& t) { settings_.phase_to = parse_whole_number(t, 0); },
           [this] { return settings_.phase_to ? Json(*settings_.phase_to) : Json(nullptr); }},
          {"spectra-of", "POINT,...", "points whose own spectra are drawn and written", true,
           [this](const std::string& t) {
             for (const std::string& part : split(t, ','))
               settings_.spectra_of.push_back(parse_whole_number(std::string(trimmed(part)), 0));
           },
           [this] { return Json(settings_.spectra_of); }},
          {"points-at", "X,Y",
           "the same by place, such as '12mm,0.5mm': the point that lies nearest; may be repeated", true,
           [this](const std::string& t) {
             settings_.points_at.push_back(parse_place(t));
             points_at_text_.push_back(t);
           },
           [this] { return Json(points_at_text_); }},
          switch_option("keep-transforms",
                        "also write the transforms of all points, STEM-field-transforms.h5: give that file "
                        "instead of the "
                        "recording, and other shapes, regions or points take no transforms anew",
                        keep_),
          text_option("versus", "FILE",
                      "shapes of another run, as --also hdf5 wrote them: what moved, changed, is new or gone",
                      settings_.versus),
          {"along", "POINT..POINT", "amplitude and phase of the shapes along the line between two points",
           true,
           [this](const std::string& t) {
             const std::size_t dots = t.find("..");
             if (dots == std::string::npos)
               throw Error(Status::usage, "\"" + clean_text(t) + "\" is no line; write for example 1..15");
             settings_.lines.push_back(
                 {parse_whole_number(t.substr(0, dots), 0), parse_whole_number(t.substr(dots + 2), 0)});
           },
           [this] {
             Json out = Json::array();
             for (const LineAsked& l : settings_.lines) out.push_back({l.from, l.to});
             return out;
           }},
          {"line", "X,Y..X,Y", "the same from place to place, such as '0,0..60mm,25mm'", true,
           [this](const std::string& t) {
             const std::size_t dots = t.find("..");
             if (dots == std::string::npos)
               throw Error(Status::usage,
                           "\"" + clean_text(t) + "\" is no line; write for example '0,0..60mm,25mm'");
             settings_.lines_at.push_back({parse_place(t.substr(0, dots)), parse_place(t.substr(dots + 2))});
             lines_at_text_.push_back(t);
           },
           [this] { return Json(lines_at_text_); }},
          range_option("span", "frequencies to look at, LOW..HIGH (default: all)", Dimension::frequency,
                       settings_.span)}},
        {"Pictures",
         {count_option("colours", "steps of the colours in maps (default: smooth)", 2, 256,
                       settings_.colours),
          {"map-scale", "linear|log", "levels in maps as they are or in dB (default: linear)", false,
           [this](const std::string& t) {
             settings_.logarithmic = choice("map-scale", t, {"linear", "log"}) == 1;
           },
           [this] { return Json(settings_.logarithmic ? "log" : "linear"); }},
          axis_option("frequency-axis", "frequency", settings_.frequency_logarithmic),
          {"levels", "LOW..HIGH",
           "range of the amplitude maps, the same over shapes and runs (default: each its own)", false,
           [this](const std::string& t) {
             const std::size_t dots = t.find("..");
             const auto side = [&](const std::string& text) {
               return parse_any_quantity(trimmed(text)).value;
             };
             if (dots == std::string::npos) throw Error(Status::usage, "write for example 0..2e-6");
             settings_.levels = {side(t.substr(0, dots)), side(t.substr(dots + 2))};
             if (!(settings_.levels->first < settings_.levels->second))
               throw Error(Status::usage, "the first level must be below the second");
           },
           [this] {
             return settings_.levels ? Json{settings_.levels->first, settings_.levels->second}
                                     : Json(nullptr);
           }},
          {"exaggerate", "PERCENT",
           "largest deflection in pictures of shapes, of the surface's size (default: 15%)", false,
           [this](const std::string& t) {
             settings_.exaggeration = parse_quantity(t, Dimension::ratio);
             if (!(settings_.exaggeration > 0 && settings_.exaggeration <= 2))
               throw Error(Status::usage, "must lie between 0% and 200%");
           },
           [this] { return Json(settings_.exaggeration); }},
          switch_option("animate", "each shape through one period as a GIF, ranges fixed", settings_.animate),
          {"also", "FORMAT,...", "write shapes and spectra in these formats too: hdf5, vtk, universal", true,
           [this](const std::string& t) {
             for (const std::string& name : split(t, ',')) {
               (void)choice("also", name, {"hdf5", "vtk", "universal"});
               settings_.also.push_back(name);
             }
           },
           [this] { return Json(settings_.also); }}}},
        output_group(output_)};
  }

  Status run(const std::vector<std::string>& files, const Json& settings) override {
    Console console(output_);
    Delivery delivery;
    delivery.command = "field";
    delivery.settings = settings;
    std::vector<FieldReport> all;
    const std::vector<std::string> stems = output_stems(files);
    std::vector<std::string> points;
    for (const std::string& stem : stems) points.push_back(stem + "-field-points.csv");
    const auto outputs = open_outputs(output_, "field", files, {stems.front() + "-field"}, points);
    for (const std::string& file : files) {
      const std::string place = keep_ && outputs ? outputs->place(stems[all.size()] + "-field-transforms.h5",
                                                                  "transforms of all points")
                                                 : "";
      all.push_back(measure(file, console.progress("field " + file), place));
      report_field(all.back(), settings_, delivery);
    }
    return deliver(
        delivery, output_, console, outputs.get(),
        [&](Outputs& folder) {
          for (std::size_t i = 0; i < all.size(); ++i) write(all[i], stems[i] + "-field", folder);
        },
        stems.front() + "-field.json");
  }

 private:
  void take_frames(const std::string& t) {
    const std::size_t dots = t.find("..");
    if (dots == std::string::npos)
      throw Error(Status::usage,
                  "\"" + clean_text(t) + "\" is no range of frames; write for example 10..500 or 10ms..0.5s");
    const std::string from(trimmed(t.substr(0, dots))), to(trimmed(t.substr(dots + 2)));
    const auto plain = [](const std::string& side) {
      return side.find_first_not_of("0123456789") == std::string::npos;
    };
    if (!plain(from) || !plain(to)) {
      settings_.frame_times = parse_range(t, Dimension::time);
      return;
    }
    if (!from.empty()) settings_.field.first_frame = whole(from, 0);
    if (!to.empty()) settings_.field.last_frame = whole(to, 0);
  }

  /// `keep`: where the transforms go; "" for nowhere.
  FieldReport measure(const std::string& file, const Progress& progress, const std::string& keep) {
    std::vector<UnitRule> units;
    for (const std::string& text : calibrated_.units) units.push_back(parse_unit_rule(text));
    const std::unique_ptr<PointSource> source =
        calibrated_points(open_points(file, settings_.read), calibrated_.rules(), units);
    std::shared_future<std::string> digest;
    if (!std::filesystem::is_directory(file))
      digest = in_background([file] { return file_digest(file); }).share();
    FieldReport listed;
    listed.recording = source->recording();
    const PointRecording& r = listed.recording;
    if (!(r.axis.interval > 0))
      throw Error(Status::analysis, file + ": the frames have no rate; give --rate or --interval");
    FieldSettings field = settings_.field;
    field.smooth_radius = smooth_.value_or(0);
    Recording named;
    named.file = file;
    named.channels = r.variables;
    if (!settings_.variables.empty()) field.variables = select_channels(named, settings_.variables);
    if (!settings_.derived.empty()) {
      const std::size_t first = field.variables.empty() ? 0 : field.variables.front();
      field.derive = motion_order(std::string_view(settings_.derived)) - motion_order(r.variables[first]);
    }
    // Points are named by their labels, the engine counts those looked at.
    std::vector<Node> looked_at;
    for (const std::size_t p : chosen_points(r.points, field.region, field.every))
      looked_at.push_back(r.points[p]);
    if (settings_.frame_times) frames_by_time(r, *settings_.frame_times, field);
    if (settings_.span) field.low_hz = settings_.span->low, field.high_hz = settings_.span->high;
    for (const std::int64_t label : settings_.spectra_of)
      field.watched.push_back(index_of(looked_at, label, "--spectra-of", file));
    for (const Place& place : settings_.points_at)
      field.watched.push_back(index_at(looked_at, place, "--points-at", file));
    if (settings_.phase_to) field.phase_point = index_of(looked_at, *settings_.phase_to, "--phase-to", file);
    std::vector<std::pair<std::size_t, std::size_t>> ends;
    for (const LineAsked& line : settings_.lines)
      ends.push_back(
          {index_of(looked_at, line.from, "--along", file), index_of(looked_at, line.to, "--along", file)});
    for (const auto& [from, to] : settings_.lines_at)
      ends.push_back({index_at(looked_at, from, "--line", file), index_at(looked_at, to, "--line", file)});
    for (const double hz : field.at_hz)
      if (hz >= r.axis.rate_hz() / static_cast<double>(field.frame_step) / 2)
        throw Error(
            Status::analysis,
            fmt::format("{}: --at {} is not below half the rate of the frames, {}", file,
                        format_quantity(hz, "Hz"),
                        format_quantity(r.axis.rate_hz() / static_cast<double>(field.frame_step) / 2, "Hz")));
    std::unique_ptr<SavedTransformsWriter> writer;
    if (!keep.empty())
      field.keep = [&](const FieldPlan& plan, std::size_t first, std::size_t count,
                       std::span<const double> values) {
        // A further pass with another window begins anew.
        if (!writer || writer->window() != plan.window.name()) {
          PointRecording made = r;
          made.points = looked_at;
          made.frames = static_cast<std::int64_t>(plan.frames.size());
          made.axis.interval = 1 / plan.rate_hz;
          if (!field.variables.empty()) {
            made.variables.clear();
            for (const std::size_t v : field.variables) made.variables.push_back(r.variables[v]);
          }
          writer = std::make_unique<SavedTransformsWriter>(keep, made, plan.window.name(),
                                                           digest.valid() ? digest.get() : "");
        }
        writer->add(first, count, values);
      };
    try {
      listed.result = analyse_field(*source, field, [&](std::size_t done, std::size_t all) {
        if (progress) progress(static_cast<std::int64_t>(done), static_cast<std::int64_t>(all));
      });
    } catch (const Error& error) {
      throw Error(error.status(),
                  error.status() == Status::input ? error.what() : file + ": " + error.what());
    }
    if (field.derive != 0)
      for (Channel& v : listed.result.variables) {
        const double factor = derive(v, field.derive);
        if (factor != 1)
          throw Error(
              Status::analysis,
              file + ": --derive needs a variable in metres and seconds; its unit is " + v.unit.text());
      }
    if (!settings_.versus.empty()) {
      ShapeSet other = read_field_hdf5(settings_.versus);
      const ShapeSet own{listed.result.points, listed.result.shapes};
      try {
        listed.pairs = pair_shapes(other, own, 2 * listed.result.plan.bin_hz());
      } catch (const Error& error) {
        throw Error(error.status(), file + " and " + settings_.versus + ": " + error.what());
      }
      listed.versus = std::move(other.shapes), listed.versus_points = std::move(other.points);
    }
    const double reach = 0.25 * usual_distance(listed.result.points);
    for (const auto& [from, to] : ends)
      listed.lines.push_back(points_along(listed.result.points, from, to, reach));
    Recording facts;
    facts.file = file, facts.format = r.format, facts.channels = r.variables, facts.axis = r.axis,
    facts.samples = r.frames;
    listed.facts.recording = facts;
    if (digest.valid()) listed.facts.digest = digest.get();
    if (writer) writer->finish(listed.result.sums.rms, listed.result.sums.mean_square_in_time);
    return listed;
  }

  void write(const FieldReport& listed, const std::string& base, Outputs& folder) const {
    folder.protect(listed.recording.file);
    folder.add(base + "-points.csv", field_csv(listed),
               "every point: place, level, amplitude and phase of each shape");
    folder.add(base + "-spectrum.csv", field_spectrum_csv(listed), "mean and greatest level of every bin");
    if (!listed.lines.empty()) folder.add(base + "-lines.csv", field_lines_csv(listed), "shapes along lines");
    for (const std::string& name : settings_.also) {
      if (name == "vtk") folder.add(base + ".vtk", field_vtk(listed), "shapes for other viewers");
      if (name == "universal")
        folder.add(base + ".uff", field_universal(listed), "nodes, shapes and mean spectrum");
      if (name == "hdf5") write_field_hdf5(listed, folder.place(base + ".h5", "shapes, maps and spectra"));
    }
    if (!output_.wants_figures()) return;
    const auto figure = [&](const Figure& f, const std::string& name, const std::string& what) {
      folder.add_figure(name, f, what);
    };
    figure(field_spectrum_figure(listed, settings_), base + "-spectrum", "mean spectrum and level in time");
    figure(field_maps_figure(listed, settings_), base + "-maps", "maps of amplitude, phase, greatest level");
    if (!listed.lines.empty()) figure(field_lines_figure(listed), base + "-lines", "shapes along lines");
    for (std::size_t i = 0; i < listed.result.shapes.size(); ++i) {
      const std::string name = base + "-shape-" + std::to_string(i + 1);
      figure(field_shape_figure(listed, i, 0, settings_), name,
             "deflection shape at " + format_quantity(listed.result.shapes[i].hz, "Hz", 5));
      if (!settings_.animate) continue;
      std::vector<Figure> frames;
      for (int n = 0; n < 24; ++n) frames.push_back(field_shape_figure(listed, i, n / 24.0, settings_));
      folder.add_animation(name, frames, "the same through one period");
    }
  }

  FieldTaskSettings settings_;
  InputSettings calibrated_;  ///< Of these: units and calibrations.
  OutputSettings output_;
  std::optional<double> smooth_;
  std::string region_;
  std::vector<std::string> points_at_text_, lines_at_text_;
  bool keep_ = false;
};

}  // namespace

std::unique_ptr<Task> make_field_task() { return std::make_unique<FieldTask>(); }

}  // namespace vprism
