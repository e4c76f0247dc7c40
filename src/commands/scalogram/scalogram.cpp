// scalogram.cpp: the command `scalogram`: wavelet map, events, bands taken out by the inverse.
#include "transform/maps/scalogram.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "commands/shared/channel_groups.h"
#include "commands/shared/each_input.h"
#include "commands/shared/events_report.h"
#include "commands/shared/held.h"
#include "commands/shared/maps.h"
#include "commands/shared/write_recording.h"
#include "condition/onward.h"
#include "identify/events/scalogram_events.h"
#include "transform/time/statistics.h"

namespace vprism {

namespace {

/// "0.2Hz..0.6Hz @ 690s..740s"
struct Extract {
  Range band;
  std::optional<Range> times;
  std::string text;
};

struct Extracted {
  std::vector<Statistics> statistics;
  std::vector<Outline> outlines;
};

struct ScalogramResult {
  Input* input = nullptr;
  InputFacts facts;
  ScalogramPlan plan;
  std::vector<Scalogram> maps;
  std::vector<Scalogram> squeezed;
  std::vector<WaveletEvents> events;
  std::vector<Extracted> extracts;
};

class ScalogramTask : public EachInputTask<ScalogramResult> {
 public:
  ScalogramTask() : EachInputTask("scalogram") {}

  std::vector<OptionGroup> options() override {
    std::string wavelets;
    for (const WaveletEntry& entry : wavelet_table())
      wavelets += (wavelets.empty() ? "" : ", ") + std::string(entry.name) +
                  (entry.parameters == 2 ? "(G,B): " : "(A): ") + entry.what;
    return {input_group(input_),
            {"Wavelets",
             {{"wavelet", "WAVELET", wavelets + " (default: morse(3,20))", false,
               [this](const std::string& t) { settings_.wavelet = parse_wavelet(t); },
               [this] { return Json(settings_.wavelet.name()); }},
              count_option("rows-per-octave", "frequencies per octave of the map (default: 12)", 1, 96,
                           settings_.voices),
              range_option("span", "frequencies of the map (default: what the wavelet and the record allow)",
                           Dimension::frequency, span_),
              switch_option("sharpen", "squeeze every row's reading to the frequency its phase turns at",
                            sharpen_),
              {"extract", "A..B [@ T1..T2]",
               "the waveform of this band, by the inverse, over this time; may be repeated; written as a "
               "recording",
               true, [this](const std::string& t) { extracts_.push_back(parse_extract(t)); },
               [this] {
                 Json all = Json::array();
                 for (const Extract& e : extracts_) all.push_back(e.text);
                 return all;
               }},
              format_option(to_, "format of the extracted recording (default: hdf5)"),
              range_option("levels", "range of the colours in dB (default: found from the map)",
                           Dimension::decibel, range_db_),
              map_option(map_, "how the map's amplitudes are written (default: hdf5)")}},
            output_group(output_)};
  }

 protected:
  ScalogramResult measure(Input& input, const Progress& progress) override {
    input.require_even_axis();
    const Recording r = input.road().recording();
    if (r.complex)
      throw Error(Status::analysis,
                  r.file + ": complex channels have no wavelet map; see modulation or spectrogram");
    ScalogramResult result;
    result.input = &input;
    ScalogramSettings settings = settings_;
    if (span_) settings.low_hz = span_->low, settings.high_hz = span_->high;
    try {
      result.plan = plan_scalogram(settings, r.samples, r.axis.rate_hz());
      // As many channels at a time as keep maps and stretches near a hundred megabytes.
      const double each = 8 * static_cast<double>(result.plan.frequency_hz.size()) *
                          static_cast<double>(std::min<std::size_t>(settings.most_columns + 200,
                                                                    static_cast<std::size_t>(r.samples)));
      const auto at_once = static_cast<std::size_t>(std::max(1.0, 100e6 / each));
      for_channel_groups(r.channels.size(), at_once, [&](std::size_t from, std::size_t count) {
        ScalogramEstimator estimator(result.plan, settings);
        std::optional<ScalogramEstimator> squeezed;
        if (sharpen_) {
          ScalogramSettings sharp = settings;
          sharp.squeezed = true;
          sharp.most_columns = 1200;
          squeezed.emplace(result.plan, sharp);
        }
        bool gaps = false;
        run_channels(input, from, count, progress, [&](const Block& block) {
          gaps = gaps || block.gaps();
          if (gaps) return;
          estimator.add(block);
          if (squeezed) squeezed->add(block);
        });
        if (gaps) refuse_gaps(input);
        std::ranges::move(estimator.result(), std::back_inserter(result.maps));
        if (squeezed) std::ranges::move(squeezed->result(), std::back_inserter(result.squeezed));
      });
      for (const Extract& extract : extracts_)
        result.extracts.push_back(look_at(input, result.plan, extract));
    } catch (const Error& error) {
      throw Error(error.status(), r.file + ": " + error.what());
    }
    result.facts = input.facts();
    result.events.resize(result.maps.size());
    for_each_channel(r, [&](std::size_t c) {
      result.events[c] = find_wavelet_events(result.maps[c], result.plan, settings_.wavelet);
    });
    std::vector<std::vector<SeenEvent>> seen;
    for (const WaveletEvents& events : result.events) seen.push_back(seen_events(events, result.plan));
    const auto fits = fit_on_samples(input, seen);
    for (std::size_t c = 0; c < fits.size(); ++c)
      take_fits(result.events[c], fits[c], result.plan.duration_s());
    for (std::size_t c = 0; c < result.maps.size(); ++c) warn(result, c);
    return result;
  }

  void report(const ScalogramResult& result, Delivery& delivery) override {
    const Recording& r = result.facts.recording;
    delivery.inputs.push_back(result.facts);
    delivery.cautions.insert(delivery.cautions.end(), r.cautions.begin(), r.cautions.end());
    delivery.text += clean_text(r.file) + "\n  " + std::to_string(r.samples) + " samples at " +
                     format_quantity(r.axis.rate_hz(), "Hz", 9) + "\n  " + plan_text(result) + "\n  " +
                     limits_text(result) + "\n";
    for (std::size_t c = 0; c < result.maps.size(); ++c) {
      const Channel& channel = r.channels[c];
      const std::vector<TimedEvent> events = listed(result, c);
      delivery.text += "\n" + channel.name + "\n" + events_text(events, channel.unit.label());
      for (const TimedEvent& e : events) delivery.findings.push_back(event_finding(r, channel, e));
      Json extracts = Json::array();
      for (std::size_t i = 0; i < result.extracts.size(); ++i) {
        const Statistics& s = result.extracts[i].statistics[c];
        const double rms = s.rms;
        delivery.text += fmt::format("  extracted {}: {} RMS, from {} to {}\n", extracts_[i].text,
                                     format_quantity(rms, channel.unit.label(), 4),
                                     format_quantity(s.min, channel.unit.label(), 4),
                                     format_quantity(s.max, channel.unit.label(), 4));
        extracts.push_back({{"what", extracts_[i].text},
                            {"rms", number(rms)},
                            {"min", number(s.min)},
                            {"max", number(s.max)}});
      }
      delivery.results.push_back({{"channel", channel.name},
                                  {"unit", channel.unit.label()},
                                  {"rate_hz", number(result.plan.rate_hz)},
                                  {"wavelet", settings_.wavelet.name()},
                                  {"rows_per_octave", settings_.voices},
                                  {"rows", result.plan.frequency_hz.size()},
                                  {"low_hz", number(result.plan.frequency_hz.front())},
                                  {"high_hz", number(result.plan.frequency_hz.back())},
                                  {"edge_periods", number(result.plan.figures.edge)},
                                  {"duration_periods", number(result.plan.figures.duration)},
                                  {"relative_width", number(result.plan.figures.width)},
                                  {"events", events_json(events)},
                                  {"extracts", std::move(extracts)}});
    }
    delivery.text += "\n";
  }

  void write(ScalogramResult& result, const std::string& base, Outputs& folder) override {
    const Recording& r = result.facts.recording;
    for (std::size_t c = 0; c < result.maps.size(); ++c)
      write_level_map(folder, map_, base + (result.maps.size() > 1 ? "-" + std::to_string(c + 1) : ""),
                      "amplitudes over time and frequency, " + r.channels[c].name, shown(result, c).map,
                      r.axis.start,
                      {"frequency (Hz)", "time (s)", "amplitude (" + r.channels[c].unit.label() + ")", {}},
                      [](double power) { return std::sqrt(2 * power); });
    for (std::size_t i = 0; i < extracts_.size(); ++i) {
      Onward onward(result.input->road(), extraction(result.plan, extracts_[i]));
      write_recording(onward.recording(), [&](const Sink& sink, const Progress& p) { onward.run(sink, p); },
                      folder, base + "-extract-" + std::to_string(i + 1),
                      find_write_format(to_.empty() ? "hdf5" : to_), {}, {});
    }
    folder.add_figure(
        base, [&] { return figure(result); }, "amplitude over time and frequency");
  }

 private:
  static Extract parse_extract(const std::string& text) {
    Extract out;
    out.text = text;
    const std::size_t at = text.find('@');
    out.band = parse_range(trimmed(std::string_view(text).substr(0, at)), Dimension::frequency);
    if (at != std::string::npos)
      out.times = parse_range(trimmed(std::string_view(text).substr(at + 1)), Dimension::time);
    return out;
  }

  Chain extraction(const ScalogramPlan& plan, const Extract& extract) const {
    Chain chain;
    const double low = extract.band.low.value_or(0), high = extract.band.high.value_or(plan.rate_hz);
    chain.push_back(std::make_unique<WorkerStage>(
        "extract", [this, &plan, low, high] { return make_band_extraction(plan, settings_, low, high); }));
    if (extract.times) chain.push_back(make_gate_stage(*extract.times));
    return chain;
  }

  Extracted look_at(Input& input, const ScalogramPlan& plan, const Extract& extract) const {
    Onward onward(input.road(), extraction(plan, extract));
    const std::size_t channels = onward.recording().channels.size();
    StatisticsEstimator statistics(channels);
    OutlineEstimator outlines(channels);
    onward.run([&](Block& block) {
      statistics.add(block);
      outlines.add(block);
    });
    return {statistics.result(), outlines.result()};
  }

  void warn(ScalogramResult& result, std::size_t c) const {
    const Recording& r = result.facts.recording;
    std::vector<Caution>& cautions = result.facts.recording.cautions;
    const std::string name = r.channels[c].name;
    const WaveletEvents& found = result.events[c];
    if (!found.beyond.empty()) {
      const MapEvent& e = found.beyond.front();
      cautions.push_back(
          {"event-in-edge", Severity::note, name,
           fmt::format("a level at {} s near {} stands out where the record's ends are felt; it is not "
                       "listed as an event",
                       format_number(r.axis.start + e.peak_s, 5), format_quantity(e.peak_hz, "Hz", 3)),
           "record longer before and after, or choose a wavelet of fewer periods"});
    }
    for (const WaveletEvent& e : found.events)
      if (e.at_edge) {
        cautions.push_back(
            {"event-at-edge", Severity::warning, name,
             fmt::format("the event at {} s near {} reaches into the part where the record's ends are "
                         "felt: its length and level are too small",
                         format_number(r.axis.start + e.seen.peak_s, 5),
                         format_quantity(e.seen.peak_hz, "Hz", 3)),
             "record longer before and after"});
        break;
      }
    for (const Extract& extract : extracts_) {
      const double low = std::max(extract.band.low.value_or(0), result.plan.frequency_hz.front());
      if (c == 0 && extract.times &&
          ((extract.times->low && *extract.times->low - r.axis.start < result.plan.edge_s(low)) ||
           (extract.times->high &&
            r.axis.start + result.plan.duration_s() - *extract.times->high < result.plan.edge_s(low))))
        cautions.push_back({"extract-at-edge", Severity::note, "",
                            "--extract " + extract.text +
                                " reaches into the cone of influence of its lowest voice, " +
                                format_quantity(result.plan.edge_s(low), "s", 3) + " from each end",
                            "expect errors above 1% there"});
    }
  }

  const Scalogram& shown(const ScalogramResult& result, std::size_t c) const {
    return sharpen_ ? result.squeezed[c] : result.maps[c];
  }

  std::string plan_text(const ScalogramResult& result) const {
    return fmt::format("{}, {} rows an octave, {} to {}, amplitudes{}", settings_.wavelet.name(),
                       settings_.voices, format_quantity(result.plan.frequency_hz.front(), "Hz", 4),
                       format_quantity(result.plan.frequency_hz.back(), "Hz", 4),
                       sharpen_ ? ", squeezed" : "");
  }
  static std::string limits_text(const ScalogramResult& result) {
    const WaveletFigures& f = result.plan.figures;
    return fmt::format(
        "a wavelet lasts {:.3g} periods and is {:.3g}% of its frequency wide (half height); the "
        "record's ends are felt for {:.3g} periods",
        f.duration, 100 * f.width, f.edge);
  }

  std::vector<TimedEvent> listed(const ScalogramResult& result, std::size_t c) const {
    std::vector<TimedEvent> out;
    const double start = result.facts.recording.axis.start;
    for (const WaveletEvent& e : result.events[c].events) {
      TimedEvent event;
      event.start_s = start + e.start_s, event.end_s = start + e.end_s, event.peak_s = start + e.seen.peak_s;
      event.low_hz = e.low_hz, event.high_hz = e.high_hz, event.peak_hz = e.peak_hz;
      event.level = e.amplitude, event.level_std = e.amplitude_std, event.level_scale = "peak";
      event.time_std_s = e.time_std_s, event.hz_std = e.hz_std;
      event.over_noise_db = 10 * std::log10(e.seen.over_noise());
      event.at_edge = e.at_edge;
      if (e.fit) take_shape(event, *e.fit);
      if (e.top > 0) event.level_corrected = e.top;
      out.push_back(event);
    }
    return out;
  }

  Figure figure(const ScalogramResult& result) const {
    const Recording& r = result.facts.recording;
    Figure figure;
    figure.title = r.stem() + ": scalogram";
    figure.caption = plan_text(result) + "; veiled: the ends are felt";
    for (std::size_t c = 0; c < result.maps.size(); ++c) {
      if (figure.panels.size() >= most_panels_drawn) {
        figure.beyond = (result.maps.size() - c) * (1 + result.extracts.size());
        break;
      }
      MapLook look;
      look.title = r.channels[c].name;
      look.x = {"Time", "s"};
      look.offset = r.axis.start;
      look.logarithmic = true;
      look.to_db = 10 * std::log10(2.0);  // Mean squares to amplitudes.
      look.level_unit = decibels_of(r.channels[c].unit);
      look.range_db = range_db_;
      MapPanel panel = map_panel(shown(result, c).map, look);
      if (result.maps.size() <= most_ranges) figure.caption += "; " + range_text(panel.range);
      panel.panel.curves.push_back(cone(result, panel.panel));
      Curve line = panel.panel.curves.back();
      line.y = line.high, line.high.clear(), line.shade = false, line.colour = 6;
      panel.panel.curves.push_back(std::move(line));
      add_event_boxes(panel.panel, listed(result, c), 0, 0);
      figure.panels.push_back(std::move(panel.panel));
      for (std::size_t i = 0; i < result.extracts.size(); ++i)
        figure.panels.push_back(extract_panel(result, c, i));
    }
    return figure;
  }

  static Curve cone(const ScalogramResult& result, const Panel& panel) {
    Curve veil;
    veil.colour = paper_colour, veil.shade = true;
    const double whole = result.plan.duration_s(), start = result.facts.recording.axis.start;
    constexpr int points = 1500;
    for (int i = 0; i <= points; ++i) {
      const double t = whole * i / points, left = std::min(t, whole - t);
      veil.x.push_back(start + t);
      veil.y.push_back(*panel.y.low);
      veil.high.push_back(
          std::clamp(left > 0 ? result.plan.figures.edge / left : 1e300, *panel.y.low, *panel.y.high));
    }
    return veil;
  }

  Panel extract_panel(const ScalogramResult& result, std::size_t c, std::size_t i) const {
    const Recording& r = result.facts.recording;
    const Outline& outline = result.extracts[i].outlines[c];
    Panel panel;
    panel.title = r.channels[c].name + ": extracted " + extracts_[i].text;
    panel.x = {"Time", "s"};
    panel.y = {r.channels[c].quantity.empty() ? "Value" : r.channels[c].quantity, r.channels[c].unit.label()};
    Curve curve;
    const double start =
        std::max(r.axis.start,
                 extracts_[i].times && extracts_[i].times->low ? *extracts_[i].times->low : r.axis.start);
    for (std::size_t k = 0; k < outline.low.size(); ++k) {
      curve.x.push_back(start +
                        static_cast<double>(static_cast<std::int64_t>(k) * outline.samples_per_stretch) *
                            r.axis.interval);
      curve.y.push_back(outline.low[k]);
      if (outline.samples_per_stretch > 1) curve.high.push_back(outline.high[k]);
    }
    panel.curves.push_back(std::move(curve));
    return panel;
  }

  ScalogramSettings settings_;
  std::optional<Range> span_, range_db_;
  std::vector<Extract> extracts_;
  bool sharpen_ = false;
  std::string map_ = "hdf5", to_;
};

}  // namespace

std::unique_ptr<Task> make_scalogram_task() { return std::make_unique<ScalogramTask>(); }

}  // namespace vprism
