// compare.h: the two sides of a comparison.
#pragma once

#include <cmath>

#include "commands/spectrum/spectrum.h"
#include "identify/findings/signature.h"
#include "identify/lines/line_pairs.h"

namespace vprism {

/// One channel of one recording, saved result or table.
struct Side {
  std::string file, label;
  Channel channel;
  std::vector<ComparedLine> lines;
  std::optional<ChannelSpectrum> spectrum;  ///< None of saved results: lines alone.
};

struct Compared {
  Side a, b;
  std::vector<LinePair> pairs;
  std::optional<SpeedChange> speed;
  std::vector<BandLevel> a_bands, b_bands;
  double likeness = std::nan(""), total_db = std::nan("");
  bool same_unit = true;
  std::optional<Signature> signature = {};  ///< Of two spectra in one unit.
};

/// "A" and "B", or "before" and "after".
inline const char* compare_word(bool second, bool before_after) {
  return before_after ? (second ? "after" : "before") : second ? "B" : "A";
}

/// Two sides compared, as text (`most` lines), JSON and CSV.
class CompareReport {
 public:
  CompareReport(bool before_after, std::size_t most)
      : first_(compare_word(false, before_after)), second_(compare_word(true, before_after)), most_(most) {}
  std::string text(const Compared& c) const;
  Json json(const Compared& c) const;
  std::string csv(const std::vector<Compared>& all) const;

 private:
  std::string fate(const Compared& c, const LinePair& p) const;
  /// "B has 29 dB more between 4.5 kHz and 5.6 kHz, 12 lines that A has not; alike ..."; "" without spectra.
  std::string sentence(const Compared& c) const;
  std::string speed_text(const SpeedChange& speed) const;
  std::string first_, second_;
  std::size_t most_;
};

// commands/compare/signature.cpp
void compare_signatures_of(Compared& c);
std::string signature_sentence(const Compared& c, const std::string& first, const std::string& second,
                               std::size_t new_lines, std::size_t gone_lines);
std::string spectral_figures_text(const Compared& c, const std::string& first, const std::string& second);
Json signature_json(const Compared& c);
Panel signature_panel(const Compared& c, bool before_after, const FigureAxis& frequency);

/// Lines as they are compared: a hump's highest point wanders within it, and its level with the noise.
std::vector<ComparedLine> compared_lines(const ChannelSpectrum& spectrum);
/// The peaks of an earlier run's document. Throws Error(input).
std::vector<Side> saved_sides(const std::string& path);
/// A table over frequency, its levels at even steps taken as RMS under a window; a caution says so. Throws
/// Error(analysis) for uneven steps.
Side stored_side(const StoredSpectrum& stored, const Window& window, std::vector<Caution>& cautions);

/// Both spectra over each other, and below them what each line changed by.
Figure compare_figure(const std::vector<Compared>& all, const AnalysisSettings& analysis, bool before_after);

}  // namespace vprism
