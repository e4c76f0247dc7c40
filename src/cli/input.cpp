// input.cpp: see input.h.
#include "cli/input.h"

#include <algorithm>

#include "base/error.h"
#include "base/text.h"

namespace vprism {

namespace {

std::unique_ptr<SampleSource> open_selected(const std::string& file, const InputSettings& settings) {
  std::unique_ptr<SampleSource> source = open_recording(file, settings.read);
  if (settings.channels.empty()) return source;
  std::vector<std::size_t> chosen = select_channels(source->recording(), settings.channels);
  return std::make_unique<ChannelSelection>(std::move(source), std::move(chosen));
}

}  // namespace

Input::Input(const std::string& file, const InputSettings& settings)
    : road_(open_selected(file, settings), settings.make_chain()),
      digest_(std::async(std::launch::async, [file] { return file_digest(file); })) {}

void Input::require_even_axis() {
  road_.resolve();
  const Recording& r = road_.recording();
  if (!(r.axis.interval > 0))
    throw Error(Status::analysis,
                r.file + ": no time column and no rate; give --rate, --interval or --duration");
  if (r.axis.stamped)
    throw Error(Status::analysis, r.file + ": the samples are not evenly spaced (stamps stray " +
                                      format_number(100 * r.axis.jitter, 3) +
                                      "% of an interval from an even grid), and a spectrum needs an even "
                                      "grid; if only the stamps are bad, give --axis none and --rate");
}

InputFacts Input::facts() { return {road_.recording(), digest_.get(), road_.reports()}; }

void check_rules_used(const std::vector<CalibrationRule>& rules,
                      const std::vector<const Recording*>& recordings) {
  for (const CalibrationRule& rule : rules) {
    std::string first_error;
    const bool used = std::any_of(recordings.begin(), recordings.end(), [&](const Recording* recording) {
      try {
        return !select_channels(*recording, {rule.channels}).empty();
      } catch (const Error& error) {
        if (first_error.empty()) first_error = error.what();
        return false;
      }
    });
    if (!used) throw Error(Status::usage, "--calibrate: " + first_error);
  }
}

std::vector<std::unique_ptr<Input>> open_inputs(const std::vector<std::string>& files,
                                                const InputSettings& settings) {
  std::vector<std::unique_ptr<Input>> inputs;
  std::vector<const Recording*> recordings;
  for (const std::string& file : files) {
    inputs.push_back(std::make_unique<Input>(file, settings));
    recordings.push_back(&inputs.back()->road().recording());
  }
  check_rules_used(settings.rules(), recordings);
  return inputs;
}

std::vector<std::string> output_stems(const std::vector<std::string>& files) {
  std::vector<std::string> stems;
  for (const std::string& file : files) {
    Recording named;
    named.file = file;
    const std::string stem = named.stem();
    std::string distinct = stem;
    for (int i = 2; std::find(stems.begin(), stems.end(), distinct) != stems.end(); ++i)
      distinct = stem + "-" + std::to_string(i);
    stems.push_back(distinct);
  }
  return stems;
}

}  // namespace vprism
