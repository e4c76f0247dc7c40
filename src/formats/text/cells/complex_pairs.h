// complex_pairs.h: tables whose columns are real and imaginary parts, or magnitudes and phases, as complex
// channels.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "formats/format.h"

namespace vprism {

/// What a title says that its column is, and of what: "Re(V(out))", "S21 imag", "|H|", "mag_in".
struct TitlePart {
  enum class Kind { none, real, imaginary, magnitude, phase } kind = Kind::none;
  std::string base;
  bool negative = false;  ///< "-Im(Z)", as impedances are drawn.
  bool decibels = false;  ///< "db(v(out))", "vdb(2)": though no unit says so.
};
TitlePart part_of_title(const std::string& name);

/// Two columns that make one channel.
struct ComplexPair {
  std::size_t first = 0, second = 0;  ///< Real and imaginary part, or magnitude and phase.
  bool polar = false;
  std::string name;
  bool negative = false;  ///< The second is the imaginary part with the other sign.
  bool decibels = false;  ///< The first is in decibels, as its title says.
};
/// All channels in pairs: by their titles, or, with `as_they_stand`, each two in order as real and imaginary
/// part. Decibels and an angle under one name are a pair, too; over frequencies so are a phase and what it
/// names. Empty where one of them stays alone or the units of two parts differ. Over frequencies, coherences
/// may stand beside them, and magnitude and phase beside both parts of the same: these go to `left_out`.
std::vector<ComplexPair> complex_pairs(const std::vector<Channel>& channels, bool as_they_stand,
                                       bool over_frequencies, std::vector<std::size_t>& left_out);

/// The source with complex channels where `settings.complex` is "pairs", or "auto" and the titles ask for it;
/// else as it is. Phases are degrees unless their unit is rad; magnitudes in dB become ratios. A caution says
/// what was joined. Throws Error(usage) for "pairs" where the columns don't pair.
/// `written`: the parts were one cell in the file, which needs no word.
std::unique_ptr<SampleSource> join_complex(std::unique_ptr<SampleSource> source, const ReadSettings& settings,
                                           bool written = false);

}  // namespace vprism
