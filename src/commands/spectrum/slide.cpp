// slide.cpp: see slide.h. One pass; every place of the gate has an estimator of its own while it is in the
// gate.
#include "commands/spectrum/slide.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "frame/console.h"
#include "transform/spectra/spectrum_estimator.h"

namespace vprism {

namespace {

struct Place {
  double from_s = 0;
  std::vector<std::vector<double>> power;  ///< By channel.
};

struct Slide {
  InputFacts facts;
  SpectrumPlan plan;
  std::vector<Place> places;
  std::vector<Spectrum> grid;  ///< By channel; levels are the highest of all places.
};

/// How much the level of a bin changes over the places, in dB.
double range_db(const Slide& slide, std::size_t channel, std::size_t bin) {
  double low = 1e300, high = 0;
  for (const Place& place : slide.places) {
    low = std::min(low, place.power[channel][bin]);
    high = std::max(high, place.power[channel][bin]);
  }
  return high > 0 ? 10 * std::log10(high / std::max(low, high * 1e-30)) : 0;
}

Slide compute_slide(Input& input, const SpectrumTaskSettings& task, const Progress& progress) {
  input.require_even_axis();
  const Recording recording = input.road().recording();
  const Range& gate = *task.input.gate;
  const double rate = recording.axis.rate_hz(), start = recording.axis.start;
  const auto sample_at = [&](double time) {
    return static_cast<std::int64_t>(std::llround((time - start) * rate));
  };
  const std::int64_t length = sample_at(*gate.high) - sample_at(*gate.low);
  const auto step = static_cast<std::int64_t>(std::llround(*task.analysis.slide_s * rate));
  if (step < 1) throw Error(Status::usage, "--slide: the step is shorter than one sample");
  Slide slide;
  slide.plan = plan_spectrum(task.analysis.spectrum, length, rate);
  std::vector<std::int64_t> starts;
  for (std::int64_t at = std::max<std::int64_t>(0, sample_at(*gate.low)); at + length <= recording.samples;
       at += step)
    starts.push_back(at);
  if (starts.size() < 2)
    throw Error(Status::analysis, recording.file + ": the gate fits in only " +
                                      std::to_string(starts.size()) + " time; shorten it or the step");
  if (starts.size() > 10000)
    throw Error(Status::analysis, recording.file + ": " + std::to_string(starts.size()) +
                                      " places of the gate are too many; give a longer --slide step");
  // Every place is kept until all are compared.
  const double levels = static_cast<double>(starts.size()) * static_cast<double>(slide.plan.segment / 2 + 1) *
                        static_cast<double>(recording.channels.size());
  if (levels > 3e7)
    throw Error(Status::analysis,
                recording.file + ": " + format_number(levels, 3) +
                    " levels to compare are too many; give a longer --slide step, a coarser "
                    "--resolution or fewer channels");
  struct Open {
    std::int64_t from;
    SpectrumEstimator estimator;
  };
  std::vector<Open> open;
  std::size_t next = 0;
  const auto close = [&](Open& one) {
    Place place;
    place.from_s = start + static_cast<double>(one.from) / rate;
    std::vector<Spectrum> spectra = one.estimator.result();
    for (Spectrum& s : spectra) place.power.push_back(s.power);
    if (slide.grid.empty()) {
      slide.grid = std::move(spectra);
      for (std::size_t c = 0; recording.complex && c < slide.grid.size(); ++c)
        slide.grid[c].centre_hz = recording.channels[c].carrier_hz;
    } else
      for (std::size_t c = 0; c < slide.grid.size(); ++c)
        for (std::size_t k = 0; k < slide.grid[c].bins(); ++k)
          slide.grid[c].power[k] = std::max(slide.grid[c].power[k], place.power[c][k]);
    slide.places.push_back(std::move(place));
  };
  input.road().run(
      [&](Block& block) {
        const std::int64_t first = block.first(), end = first + static_cast<std::int64_t>(block.size());
        for (; next < starts.size() && starts[next] < end; ++next)
          open.push_back({starts[next], SpectrumEstimator(slide.plan, task.analysis.spectrum)});
        for (Open& one : open) {
          const std::int64_t from = std::max(first, one.from), to = std::min(end, one.from + length);
          if (to <= from) continue;
          std::vector<std::span<const double>> columns;
          for (std::size_t c = 0; c < block.columns(); ++c)
            columns.push_back(std::as_const(block).samples(c).subspan(static_cast<std::size_t>(from - first),
                                                                      static_cast<std::size_t>(to - from)));
          one.estimator.add(columns, block.complex());
        }
        while (!open.empty() && open.front().from + length <= end) {
          close(open.front());
          open.erase(open.begin());
        }
      },
      progress);
  slide.facts = input.facts();
  return slide;
}

/// Bins that change most, no two within a lobe of each other; quiet bins, which noise alone moves, are left
/// out.
std::vector<std::size_t> most_changed(const Slide& slide, std::size_t channel, std::size_t count) {
  const Spectrum& grid = slide.grid[channel];
  const double top = *std::max_element(grid.power.begin(), grid.power.end());
  std::vector<std::pair<double, std::size_t>> all;
  for (std::size_t k = 1; k < grid.bins(); ++k)
    if (grid.power[k] > 1e-4 * top)
      all.emplace_back(range_db(slide, channel, k) * std::sqrt(grid.power[k] / top), k);
  std::sort(all.begin(), all.end(), std::greater<>());
  const double apart = 2 * window_half_width_bins(grid.window);
  std::vector<std::size_t> out;
  for (const auto& [weight, bin] : all) {
    const std::size_t k = bin;
    if (out.size() == count) break;
    if (std::none_of(out.begin(), out.end(), [&](std::size_t o) {
          return std::abs(static_cast<double>(o) - static_cast<double>(k)) < apart;
        }))
      out.push_back(k);
  }
  std::sort(out.begin(), out.end());
  return out;
}

double level_at(const Slide& slide, const Place& place, std::size_t channel, std::size_t bin, Scale scale) {
  const Spectrum& grid = slide.grid[channel];
  return level_of(place.power[channel][bin], scale, grid.crest(bin), grid.plan.rbw_hz, grid.plan.segment_s());
}

Figure slide_figure(const Slide& slide, const SpectrumTaskSettings& task) {
  const Shown shown{task.analysis};
  const Recording& r = slide.facts.recording;
  Figure figure;
  figure.title = r.stem() + ": what changes as the gate is moved";
  figure.caption = plan_text(slide.grid.front(), task.analysis.spectrum.overlap) + "; gate of " +
                   format_quantity(*task.input.gate->high - *task.input.gate->low, "s") + " moved on by " +
                   format_quantity(*task.analysis.slide_s, "s") + ", " + std::to_string(slide.places.size()) +
                   " places";
  for (std::size_t c = 0; c < slide.grid.size(); ++c) {
    Panel levels, lines;
    levels.title = r.channels[c].name + ": lowest, highest and first of all places";
    levels.x = {"Frequency", "Hz", false, {}, {}};
    levels.y = {"Level", shown.unit(r.channels[c].unit), !task.analysis.decibel_reference, {}, {}};
    Curve band, first;
    band.name = "lowest to highest", first.name = "first place";
    band.shade = true;
    band.colour = neutral_colour;
    const std::size_t step = std::max<std::size_t>(1, slide.grid[c].bins() / 4000);
    for (std::size_t k = 1; k < slide.grid[c].bins(); k += step) {
      double low = 1e300, high = 0;
      for (std::size_t i = k; i < std::min(k + step, slide.grid[c].bins()); ++i)
        for (const Place& place : slide.places) {
          const double level = level_at(slide, place, c, i, task.analysis.scale);
          low = std::min(low, level), high = std::max(high, level);
        }
      const double hz = slide.grid[c].frequency_hz(k);
      band.x.push_back(hz), first.x.push_back(hz);
      band.y.push_back(shown.value(low)), band.high.push_back(shown.value(high));
      first.y.push_back(shown.value(level_at(slide, slide.places.front(), c, k, task.analysis.scale)));
    }
    levels.curves = {std::move(band), std::move(first)};
    lines.title = r.channels[c].name + ": levels that change most";
    lines.x = {"Start of the gate", "s", false, {}, {}};
    lines.y = {"Level", shown.unit(r.channels[c].unit), !task.analysis.decibel_reference, {}, {}};
    int colour = 0;
    for (const std::size_t bin : most_changed(slide, c, 6)) {
      Curve curve;
      curve.name = format_quantity(slide.grid[c].frequency_hz(bin), "Hz");
      curve.colour = colour++;
      for (const Place& place : slide.places) {
        curve.x.push_back(place.from_s);
        curve.y.push_back(shown.value(level_at(slide, place, c, bin, task.analysis.scale)));
      }
      lines.curves.push_back(std::move(curve));
    }
    // Room for the legend above the curves.
    double top = -1e300;
    for (const Curve& curve : lines.curves)
      top = std::max(top, *std::max_element(curve.y.begin(), curve.y.end()));
    if (!lines.curves.empty()) lines.y.high = lines.y.logarithmic ? top * 40 : top + 32;
    figure.panels.push_back(std::move(levels));
    figure.panels.push_back(std::move(lines));
  }
  return figure;
}

std::string slide_csv(const Slide& slide, const SpectrumTaskSettings& task) {
  const Shown shown{task.analysis};
  std::string out = "channel,frequency (Hz)";
  for (const Place& place : slide.places) out += fmt::format(",from {} s", format_number(place.from_s, 9));
  out += "\n";
  for (std::size_t c = 0; c < slide.grid.size(); ++c)
    for (std::size_t k = 0; k < slide.grid[c].bins(); ++k) {
      out += csv_cell(slide.facts.recording.channels[c].name) +
             fmt::format(",{}", slide.grid[c].frequency_hz(k));
      for (const Place& place : slide.places)
        out += fmt::format(",{:.6g}", shown.value(level_at(slide, place, c, k, task.analysis.scale)));
      out += "\n";
    }
  return out;
}

void report_slide(const Slide& slide, const SpectrumTaskSettings& task, Delivery& delivery) {
  const Shown shown{task.analysis};
  const Recording& r = slide.facts.recording;
  delivery.inputs.push_back(slide.facts);
  delivery.cautions.insert(delivery.cautions.end(), r.cautions.begin(), r.cautions.end());
  delivery.text += clean_text(r.file) + "\n  " + std::to_string(slide.places.size()) +
                   " places of the gate, each " +
                   plan_text(slide.grid.front(), task.analysis.spectrum.overlap) + "\n";
  for (std::size_t c = 0; c < slide.grid.size(); ++c) {
    TextTable table({{"frequency (Hz)"},
                     {"lowest (" + shown.unit(r.channels[c].unit) + ")"},
                     {"at (s)"},
                     {"highest"},
                     {"at (s)"},
                     {"change (dB)"}});
    Json changes = Json::array();
    for (const std::size_t bin : most_changed(slide, c, task.analysis.peaks)) {
      const auto less = [&](const Place& a, const Place& b) { return a.power[c][bin] < b.power[c][bin]; };
      const auto [low, high] = std::minmax_element(slide.places.begin(), slide.places.end(), less);
      const double hz = slide.grid[c].frequency_hz(bin), change = range_db(slide, c, bin);
      const double lowest = level_at(slide, *low, c, bin, task.analysis.scale),
                   highest = level_at(slide, *high, c, bin, task.analysis.scale);
      table.add({format_number(hz, 7), format_number(shown.value(lowest), 4), format_number(low->from_s, 6),
                 format_number(shown.value(highest), 4), format_number(high->from_s, 6),
                 fmt::format("{:.1f}", change)});
      changes.push_back({{"frequency_hz", number(hz)},
                         {"lowest", number(lowest)},
                         {"lowest_s", number(low->from_s)},
                         {"highest", number(highest)},
                         {"highest_s", number(high->from_s)},
                         {"change_db", number(change)}});
    }
    delivery.text += "\n" + r.channels[c].name + ": levels that change most\n" + table.text();
    delivery.results.push_back({{"channel", r.channels[c].name},
                                {"unit", r.channels[c].unit.label()},
                                {"places", slide.places.size()},
                                {"bin_hz", number(slide.grid[c].plan.bin_hz)},
                                {"changes", std::move(changes)}});
  }
}

}  // namespace

Status run_slide(const std::vector<std::string>& files, const SpectrumTaskSettings& task,
                 const Json& settings) {
  if (!task.input.gate || !task.input.gate->low || !task.input.gate->high)
    throw Error(Status::usage, "--slide moves the gate: give it with both ends, such as --gate 0s..200ms");
  if (task.analysis.by_stamps) throw Error(Status::usage, "--slide and --method stamps do not go together");
  InputSettings whole = task.input;
  whole.gate.reset();
  Console console(task.output);
  Delivery delivery;
  delivery.command = "spectrum";
  delivery.settings = settings;
  std::vector<Slide> slides;
  const auto inputs = open_inputs(files, whole);
  const std::vector<std::string> stems = output_stems(input_files(files, whole), "-spectrum-slide");
  const auto outputs = open_outputs(task.output, "spectrum", files, stems);
  for (const auto& input : inputs) {
    slides.push_back(
        compute_slide(*input, task, console.progress("spectrum " + input->road().recording().file)));
    report_slide(slides.back(), task, delivery);
  }
  return deliver(
      delivery, task.output, console, outputs.get(),
      [&](Outputs& folder) {
        for (std::size_t i = 0; i < slides.size(); ++i) {
          folder.add(stems[i] + ".csv", slide_csv(slides[i], task), "level of every bin at every place");
          folder.add_figure(stems[i], slide_figure(slides[i], task), "what changes");
        }
      },
      stems.front() + ".json");
}

}  // namespace vprism
