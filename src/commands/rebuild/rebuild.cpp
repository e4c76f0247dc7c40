// rebuild.cpp: the command `rebuild`: the signal from chosen components, beside the original and what is left
// over.
#include "identify/tones/rebuild.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <list>

#include "base/error.h"
#include "base/text.h"
#include "commands/identify/suspects_file.h"
#include "commands/rebuild/rebuild.h"
#include "commands/shared/channel_groups.h"
#include "commands/shared/each_input.h"
#include "commands/shared/held.h"
#include "commands/shared/stored_spectrum.h"
#include "commands/shared/write_recording.h"
#include "identify/lines/whole_lines.h"

namespace vprism {

std::vector<OptionGroup> RebuildTask::options() {
  return {
      input_group(input_),
      {"Components",
       {count_option("strongest", "the strongest N lines (default: 10)", 1, 1000, strongest_),
        {"components", "N,N,...", "what so many of the strongest lines make, side by side", true,
         [this](const std::string& t) {
           for (const std::string& part : split(t, ',')) {
             const long long count = parse_whole_number(std::string(trimmed(part)), 1);
             if (count > 1000) throw Error(Status::usage, "at most 1000 lines");
             side_by_side_.push_back(static_cast<std::size_t>(count));
           }
           std::sort(side_by_side_.begin(), side_by_side_.end());
           side_by_side_.erase(std::unique(side_by_side_.begin(), side_by_side_.end()), side_by_side_.end());
         },
         [this] { return Json(side_by_side_); }},
        {"frequencies", "FREQUENCY,...", "lines at these frequencies", true,
         [this](const std::string& t) {
           for (const std::string& part : split(t, ','))
             hz_.push_back(parse_positive(part, Dimension::frequency));
         },
         [this] { return Json(hz_); }},
        range_option("band", "all within this band", Dimension::frequency, band_),
        {"without", "SUSPECT|FREQUENCY,...",
         "everything but the lines of a suspect of the line-up, or but lines at these frequencies", true,
         [this](const std::string& t) {
           for (const std::string& part : split(t, ',')) without_.emplace_back(trimmed(part));
         },
         [this] { return Json(without_); }},
        text_option("suspects", "FILE.toml", "the line-up that --without names suspects of", suspects_),
        text_option("spectrum", "FILE.csv",
                    "the inverse transform of a saved spectrum with phases (spectrum --window rectangular "
                    "--phase-at)",
                    spectrum_),
        format_option(to_, "format of the recording of what was rebuilt and what is left (default: hdf5)")}},
      output_group(output_)};
}

void RebuildTask::check_settings() const {
  const int ways = !hz_.empty() + band_.has_value() + !without_.empty() + !spectrum_.empty();
  if (!side_by_side_.empty() && (ways > 0 || strongest_ != usual_lines))
    throw Error(Status::usage,
                "--components counts the strongest lines; leave out --strongest, --frequencies, --band, "
                "--without, --spectrum");
  if (ways > 1)
    throw Error(Status::usage,
                "--frequencies, --band, --without and --spectrum each say what to take; give one");
}

RebuildResult RebuildTask::measure(Input& input, const Progress& progress) {
  Held held = hold_samples(input, progress, std::int64_t{5} << 20);
  const Recording& r = held.recording;
  const double rate = r.axis.rate_hz();
  RebuildResult result;
  result.facts = held.facts;
  const SuspectsFile suspects = suspects_.empty() ? SuspectsFile{} : read_suspects(suspects_);
  result.how = how(rate);
  std::vector<std::vector<double>> turned_back(r.channels.size());
  if (!spectrum_.empty())
    for (std::size_t c = 0; c < r.channels.size(); ++c)
      turned_back[c] = from_spectrum(r.channels[c].name, held.columns[c].size(), rate);
  result.channels.resize(r.channels.size());
  std::vector<std::vector<Caution>> cautions(r.channels.size());
  for_each_channel(r, [&](std::size_t c) {
    ChannelRebuilt& channel = result.channels[c];
    channel.channel = r.channels[c];
    channel.original = std::move(held.columns[c]);
    const std::span<const double> x = channel.original;
    if (!spectrum_.empty()) {
      TurnedBack back = matched_to(x, std::move(turned_back[c]));
      channel.rebuilt = rebuild_as(x, std::move(back.samples));
      report_match(back, channel, r, cautions[c]);
    } else if (band_) {
      channel.rebuilt = rebuild_as(x, band_part(x, rate, band_->low.value_or(0), band_->high.value_or(rate)));
    } else if (!without_.empty()) {
      channel.components = lines_to_leave_out(x, rate, suspects);
      Rebuilt taken = rebuild(x, rate, channel.components);
      // What is left is what was asked for.
      for (double& v : taken.residual) v += taken.mean;
      channel.rebuilt = rebuild_as(x, taken.residual);
    } else {
      channel.components =
          hz_.empty()
              ? strongest_components(x, rate, side_by_side_.empty() ? strongest_ : side_by_side_.back())
              : components_at(x, rate, hz_);
      channel.rebuilt = rebuild(x, rate, channel.components);
    }
    if (channel.components.empty() && !band_ && spectrum_.empty())
      cautions[c].push_back({"nothing-to-take", Severity::warning, channel.channel.name,
                             "no line of those asked for stands in it", "look at its spectrum"});
  });
  for (std::vector<Caution>& some : cautions)
    std::move(some.begin(), some.end(), std::back_inserter(result.facts.recording.cautions));
  return result;
}

std::vector<double> RebuildTask::from_spectrum(const std::string& name, std::size_t samples,
                                               double rate_hz) const {
  InputSettings plain;
  const std::vector<std::unique_ptr<Input>> inputs = open_inputs({spectrum_}, plain);
  if (!holds_spectra(*inputs[0]))
    throw Error(Status::input,
                spectrum_ + ": there is no spectrum in it; save one with spectrum --phase-at 0s");
  const std::vector<StoredSpectrum> stored = read_stored_spectra(*inputs[0]);
  const StoredSpectrum *level = nullptr, *phase = nullptr;
  double to_rms = 1;
  bool root = false, density = false;  // Squares; per hertz (root hertz).
  for (const StoredSpectrum& s : stored) {
    if (s.channel.name == name + " rms" || s.channel.name == name) level = &s;
    if (s.channel.name == name + " peak") level = &s, to_rms = 1 / std::sqrt(2.0);
    for (const char* scale : {" psd", " asd", " power"})
      if (s.channel.name == name + scale) level = &s, root = scale[1] != 'a', density = scale[2] != 'o';
    if (s.channel.name == name + " phase") phase = &s;
  }
  if (level == nullptr || phase == nullptr)
    throw Error(Status::analysis,
                spectrum_ + ": it has no columns \"" + name + " rms\" and \"" + name +
                    " phase\"; save the spectrum with --scale rms --phase-at and the record's start");
  if (level->hz.size() != phase->hz.size())
    throw Error(Status::input, spectrum_ + ": levels or phases of some frequencies are missing");
  std::vector<double> rms = level->level;
  const double bin = level->hz.size() > 1 ? level->hz[1] - level->hz[0] : 1;
  for (double& v : rms)
    v = (root ? std::sqrt(std::max(0.0, v)) : v) * to_rms * (density ? std::sqrt(bin) : 1);
  return inverse_of_bins(level->hz, rms, phase->level, samples, rate_hz);
}

std::vector<Component> RebuildTask::lines_to_leave_out(std::span<const double> x, double rate_hz,
                                                       const SuspectsFile& file) const {
  std::vector<double> hz;
  std::vector<std::string> what;
  std::vector<Component> found;
  for (const std::string& name : without_) {
    const bool is_frequency = !name.empty() && std::isdigit(static_cast<unsigned char>(name[0]));
    if (is_frequency) {
      hz.push_back(parse_positive(name, Dimension::frequency));
      what.push_back(name);
      continue;
    }
    std::vector<std::string> known;
    for (const Suspect& s : file.lineup) known.push_back(s.name);
    const auto at = std::find(known.begin(), known.end(), name);
    if (at == known.end())
      throw Error(Status::usage, file.lineup.empty()
                                     ? "--without " + name + " names a suspect; give --suspects FILE.toml"
                                     : unknown_name("suspect", name, known));
    if (found.empty()) found = strongest_components(x, rate_hz, 60);
    std::vector<Observed> lines;
    for (std::size_t i = 0; i < found.size(); ++i)
      lines.push_back({0, i, found[i].hz, rate_hz / static_cast<double>(x.size()) / 20,
                       found[i].amplitude / std::sqrt(2.0)});
    LineUpSettings settings;
    settings.top_hz = rate_hz / 2;
    const auto index = static_cast<std::size_t>(at - known.begin());
    const std::vector<SuspectMatch> matches = match_suspects(file.lineup, lines, settings);
    for (const LineMatch& line : matches[index].lines)
      for (const std::size_t i : line.observed) {
        hz.push_back(found[i].hz);
        what.push_back(name + ", " + file.lineup[index].lines[line.line].what);
      }
  }
  if (hz.empty()) return {};
  std::vector<Component> out = components_at(x, rate_hz, hz);
  for (Component& c : out)
    for (std::size_t i = 0; i < hz.size(); ++i)
      if (c.hz == hz[i]) c.what = what[i];
  return out;
}

std::unique_ptr<Task> make_rebuild_task() { return std::make_unique<RebuildTask>(); }

}  // namespace vprism
