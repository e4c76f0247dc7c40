// input.h: from a file name and input settings to a road, with the facts for the document.
#pragma once

#include <future>
#include <string>
#include <vector>

#include "condition/road.h"
#include "frame/option_groups.h"
#include "render/document.h"

namespace vprism {

/// A recording opened: channels chosen, calibration, chain and gate in place. Digests are computed from what
/// is read where the reader can pass it on, else meanwhile.
class Input {
 public:
  /// Several files are joined as the settings say.
  Input(const std::vector<std::string>& files, const InputSettings& settings);
  Road& road() { return road_; }
  /// Axis and length known, axis even: samples at uneven times are put on a grid fit for a band up to
  /// `band_hz` (0: as their times have it). Throws Error(analysis) when there is no rate, saying what to do.
  void require_even_axis(double band_hz = 0);
  /// Whether what comes down the road is at uneven times: for what can stand on the stamps.
  bool keeps_stamps();
  /// To be called when a pass is done; more passes may follow.
  InputFacts facts();

 private:
  std::vector<std::string> files_;
  std::vector<std::shared_ptr<FileDigest>> digests_;
  Road road_;
  bool part_only_ = false;  ///< Of large files a quick digest does.
  std::future<void> hashing_;
  std::string digest_;  ///< Once known.
};

/// Throws Error(usage) if one of the `channels` (a name, number or glob) that `option` names is in none of
/// the recordings.
void check_channels_used(const std::string& option, const std::vector<std::string>& channels,
                         const std::vector<const Recording*>& recordings);

/// The same for a command's files, before anything is computed: also that the files can be opened.
std::vector<std::unique_ptr<Input>> open_inputs(const std::vector<std::string>& files,
                                                const InputSettings& settings);

/// The files of each input: one by one, or all in one to be joined.
std::vector<std::string> input_files(const std::vector<std::string>& files, const InputSettings& settings);

/// The files' stems with `behind`, made distinct where several inputs share a stem.
std::vector<std::string> output_stems(const std::vector<std::string>& files, const std::string& behind = "");

}  // namespace vprism
