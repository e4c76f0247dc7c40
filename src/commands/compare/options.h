// options.h: the options of `compare` and what it does with them.
#pragma once

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "commands/compare/compare.h"
#include "commands/compare/curves.h"
#include "frame/command.h"
#include "frame/console.h"
#include "identify/findings/place_ranking.h"
#include "identify/lines/line_pairs.h"
#include "identify/noise/noise_floor.h"

namespace vprism {

class CompareTask : public Task {
 public:
  std::vector<OptionGroup> options() override;
  std::size_t threads() const override { return output_.threads; }

  Status run(const std::vector<std::string>& files, const Json& settings) override;

 private:
  CompareReport report() const { return {before_after_, std::max<std::size_t>(analysis_.peaks, 1)}; }

  static bool all_uneven_spectra(const std::vector<std::unique_ptr<Input>>& inputs);

  static std::vector<ComparedCurves> stored_curves(const std::vector<std::unique_ptr<Input>>& inputs,
                                                   Delivery& delivery);

  /// The RBW that all recordings can have: that of the shortest.
  std::optional<double> common_resolution(const std::vector<std::unique_ptr<Input>>& inputs) const;

  std::vector<Side> sides_of(Input& input, const AnalysisSettings& analysis, Console& console,
                             Delivery& delivery) const;

  /// What is compared with what; `places` gets the channels of one recording, to be ranked by place.
  std::vector<std::pair<Side, Side>> pairs(const std::vector<std::string>& files,
                                           const std::vector<std::unique_ptr<Input>>& inputs,
                                           Console& console, Delivery& delivery,
                                           std::vector<Side>& places) const;

  /// Words parted at blanks, but for those within quotation marks.
  static std::vector<std::string> words_of(const std::string& text);

  std::vector<std::pair<Side, Side>> against_itself(const std::vector<std::unique_ptr<Input>>& inputs,
                                                    const std::vector<std::string>& files, Console& console,
                                                    Delivery& delivery) const;

  void add_places(const std::string& text);

  /// Several channels of one quantity: where each line is strongest.
  void rank(const std::vector<Side>& places, Delivery& delivery) const;

  Compared compare(Side a, Side b) const;

  InputSettings input_;
  AnalysisSettings analysis_;
  OutputSettings output_;
  std::string versus_, bands_ = "octave";
  std::optional<double> within_;
  bool before_after_ = false;
  std::vector<std::pair<std::string, double>> places_;
  std::vector<std::string> places_text_;
};

}  // namespace vprism
