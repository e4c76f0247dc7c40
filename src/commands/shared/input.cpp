// input.cpp: see input.h.
#include "commands/shared/input.h"

#include <algorithm>

#include "base/error.h"
#include "base/machine/ranks.h"
#include "base/machine/threads.h"
#include "base/text.h"
#include "condition/grid/common_grid.h"
#include "formats/companions.h"
#include "formats/files/spool.h"
#include "signal/join.h"

namespace vprism {

namespace {

std::unique_ptr<SampleSource> open_selected(const std::vector<std::string>& files,
                                            const InputSettings& settings,
                                            const std::vector<std::shared_ptr<FileDigest>>& digests) {
  std::vector<std::unique_ptr<SampleSource>> sources;
  for (std::size_t i = 0; i < files.size(); ++i) {
    ReadSettings read = settings.read;
    // Ranks that share the reading see a stretch each.
    if (!settings.gate && !Ranks::shared()) read.digest = digests[i];
    sources.push_back(open_recording(files[i], read));
    sources.back() = with_missing_marks(std::move(sources.back()), settings.missing_marks);
    if (settings.axis_scale)
      sources.back() = make_scaled_axis(std::move(sources.back()), *settings.axis_scale);
  }
  std::unique_ptr<SampleSource> source = sources.size() == 1 ? std::move(sources.front())
                                         : settings.join == InputSettings::Join::channels
                                             ? join_channels(on_common_grid(std::move(sources)))
                                             : join_time(std::move(sources));
  // Computed channels are chosen from with the others, once they are there.
  if (settings.channels.empty() || !settings.computes.empty()) return source;
  std::vector<std::size_t> chosen = select_channels(source->recording(), settings.wanted_channels());
  return std::make_unique<ChannelSelection>(std::move(source), std::move(chosen));
}

std::vector<std::shared_ptr<FileDigest>> digests_of(const std::vector<std::string>& files) {
  std::vector<std::shared_ptr<FileDigest>> out;
  for (const std::string& file : files) out.push_back(std::make_shared<FileDigest>(readable_path(file)));
  // Behind them those of the files that belong to them.
  for (const std::string& file : files)
    for (const std::string& companion : companion_files(readable_path(file)))
      out.push_back(std::make_shared<FileDigest>(companion));
  return out;
}

}  // namespace

Input::Input(const std::vector<std::string>& files, const InputSettings& settings)
    : files_(files),
      digests_(digests_of(files)),
      road_(open_selected(files, settings, digests_), settings.make_chain()) {
  // Those that no reader passes on are read beside it.
  part_only_ = settings.gate.has_value();
  if (Ranks::rank() > 0) digest_ = "with rank 0";
  hashing_ = in_background([digests = digests_, quick = part_only_ || Ranks::rank() > 0] {
    for (const auto& digest : digests)
      if (!digest->expected() && !quick) digest->text();
  });
}

bool Input::keeps_stamps() {
  road_.resolve();
  const Axis& axis = road_.recording().axis;
  return axis.stamped && axis.domain == Axis::Domain::time && axis.interval > 0;
}

void Input::require_even_axis(double band_hz) {
  road_.resolve();
  const Recording& r = road_.recording();
  if (!(r.axis.interval > 0))
    throw Error(Status::analysis,
                r.file + ": no time column and no rate; give --rate, --interval or --duration");
  if (r.axis.domain != Axis::Domain::time)
    throw Error(Status::analysis,
                r.file + ": its axis, \"" + r.axis.name + "\" in " + r.axis.unit.text() + ", is no time" +
                    (r.axis.domain == Axis::Domain::frequency
                         ? ": the file holds a spectrum; spectrum, response, limits, compare, "
                           "survey and rebuild take those"
                         : "; say what it stands for with --axis-scale or --delay-line"));
  road_.resolve_even(band_hz);
}

InputFacts Input::facts() {
  if (digest_.empty()) {
    hashing_.get();
    for (const auto& digest : digests_)
      digest_ += (digest_.empty() ? "" : " ") + (part_only_ ? digest->quick_text() : digest->text());
  }
  InputFacts facts{road_.recording(), digest_, road_.reports(), files_};
  for (Caution& caution : road_.cautions()) facts.recording.cautions.push_back(std::move(caution));
  for (const StageReport& stage : facts.chain)
    facts.recording.cautions.insert(facts.recording.cautions.end(), stage.cautions.begin(),
                                    stage.cautions.end());
  return facts;
}

void check_channels_used(const std::string& option, const std::vector<std::string>& channels,
                         const std::vector<const Recording*>& recordings) {
  for (const std::string& pattern : channels) {
    std::string first_error;
    const bool used = std::any_of(recordings.begin(), recordings.end(), [&](const Recording* recording) {
      try {
        return !select_channels(*recording, {pattern}).empty();
      } catch (const Error& error) {
        if (first_error.empty()) first_error = error.what();
        return false;
      }
    });
    if (!used) throw Error(Status::usage, option + ": " + first_error);
  }
}

std::vector<std::unique_ptr<Input>> open_inputs(const std::vector<std::string>& files,
                                                const InputSettings& settings) {
  std::vector<std::unique_ptr<Input>> inputs;
  std::vector<const Recording*> recordings;
  if (settings.join == InputSettings::Join::no) {
    for (const std::string& file : files)
      inputs.push_back(std::make_unique<Input>(std::vector{file}, settings));
  } else if (files.size() < 2) {
    throw Error(Status::usage, "--join: one file alone can't be joined; name the others as well");
  } else {
    inputs.push_back(std::make_unique<Input>(files, settings));
  }
  for (const auto& input : inputs) recordings.push_back(&input->road().recording());
  std::vector<std::string> calibrated, converted;
  for (const CalibrationRule& rule : settings.rules()) calibrated.push_back(rule.channels);
  for (const std::string& text : settings.units) converted.push_back(parse_unit_rule(text).channels);
  std::vector<const Recording*> read;
  for (const auto& input : inputs)
    read.push_back(settings.computes.empty() ? &input->road().recording()
                                             : &input->road().source_recording());
  check_channels_used("--calibrate", calibrated, read);
  check_channels_used("--unit", converted, read);
  return inputs;
}

std::vector<std::string> input_files(const std::vector<std::string>& files, const InputSettings& settings) {
  return settings.join == InputSettings::Join::no ? files : std::vector{files.front()};
}

std::vector<std::string> output_stems(const std::vector<std::string>& files, const std::string& behind) {
  std::vector<std::string> stems;
  for (const std::string& file : files) {
    Recording named;
    named.file = input_name(file);
    const std::string stem = named.stem();
    std::string distinct = stem;
    for (int i = 2; std::find(stems.begin(), stems.end(), distinct) != stems.end(); ++i)
      distinct = stem + "-" + std::to_string(i);
    stems.push_back(distinct);
  }
  for (std::string& stem : stems) stem += behind;
  return stems;
}

}  // namespace vprism
