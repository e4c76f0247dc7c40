// chain.cpp: the table of stages and the parser of `step [values] | step [values] ...`.
#include "condition/chain.h"

#include <sstream>

#include "base/error.h"
#include "base/text.h"

namespace vprism {

const std::vector<StageEntry>& stage_table() {
  // What all pass-band filters take.
  static const std::vector<std::string> filter_words = {"order",  "kind", "butterworth", "chebyshev",
                                                        "bessel", "fir",  "ripple",      "zero-phase"};
  static const std::vector<StageEntry> table = {
      {"detrend",
       "constant|linear|poly N",
       "remove the least-squares mean, line or polynomial of degree N",
       "detrend linear",
       {"constant", "linear", "poly"},
       make_detrend_stage},
      {"despike",
       "[width 9] [threshold 4] [report|all]",
       "repair lone outliers (over THRESHOLD robust deviations from the median of WIDTH samples); shocks, "
       "which "
       "other channels see or which ring, are kept and reported; report: only list, all: repair those as "
       "well",
       "despike width 9 threshold 4",
       {"width", "threshold", "report", "all"},
       make_despike_stage},
      {"lowpass", "F [order N] [kind butterworth|chebyshev|bessel|fir] [ripple DB] [zero-phase]",
       "pass what is below F, the -3 dB point", "lowpass 15Hz order 4", filter_words, make_lowpass_stage},
      {"highpass", "F [as lowpass]", "pass what is above F", "highpass 2Hz order 4", filter_words,
       make_highpass_stage},
      {"bandpass", "F1..F2 [as lowpass]", "pass what is between F1 and F2", "bandpass 20Hz..200Hz",
       filter_words, make_bandpass_stage},
      {"bandstop", "F1..F2 [as lowpass]", "remove what is between F1 and F2", "bandstop 45Hz..55Hz",
       filter_words, make_bandstop_stage},
      {"notch",
       "F [harmonics N] [q 30] [zero-phase]",
       "remove F and its multiples up to the Nth; each notch is F / Q wide at -3 dB",
       "notch 50Hz harmonics 5",
       {"harmonics", "q", "zero-phase"},
       make_notch_stage},
      {"gate",
       "T1..T2",
       "keep the samples from T1 up to T2",
       "gate 0.2s..1.5s",
       {},
       [](StepWords& words) { return make_gate_stage(parse_range(words.value(), Dimension::time)); }},
      {"decimate",
       "N [filter|average|keep]",
       "every Nth sample: after a filter that keeps 100 dB from folding back (default), the mean of N, or as "
       "they "
       "are, with a caution that states the power folded back",
       "decimate 8 filter",
       {"filter", "average", "keep"},
       make_decimate_stage},
      {"resample",
       "RATE",
       "another rate, by any ratio, flat to 0.01 dB over 90% of the band",
       "resample 48kHz",
       {},
       make_resample_stage},
      {"regrid",
       "[RATE] [linear|cubic|quintic|septic]",
       "uneven samples onto an even grid by interpolation, with an estimate of its error (default: a rate "
       "that "
       "suits the stamps, by the polynomial that foretells left-out samples best); put in by itself where it "
       "is needed",
       "regrid 10kHz cubic",
       {"linear", "cubic", "quintic", "septic"},
       make_regrid_stage},
      {"scale",
       "K",
       "multiply by K",
       "scale 2.5",
       {},
       [](StepWords& words) { return make_linear_map_stage("scale", plain_number(words.value()), 0); }},
      {"offset",
       "X",
       "add X, in the channel's unit",
       "offset -0.5",
       {},
       [](StepWords& words) { return make_linear_map_stage("offset", 1, plain_number(words.value())); }},
      {"invert",
       "",
       "change the sign",
       "invert",
       {},
       [](StepWords&) { return make_linear_map_stage("invert", -1, 0); }},
      {"integrate",
       "[N] [from F] [method frequency|filter]",
       "N times over time (default 1), without what is below F; whole records in frequency, longer ones by a "
       "stable filter",
       "integrate 2 from 1Hz",
       {"from", "method", "frequency", "filter"},
       make_integrate_stage},
      {"differentiate",
       "[N] [method frequency|filter]",
       "N times over time (default 1)",
       "differentiate",
       {"method", "frequency", "filter"},
       make_differentiate_stage},
      {"weight",
       "A|C|Z",
       "frequency weighting of sound levels, IEC 61672-1",
       "weight A",
       {"A", "C", "Z"},
       make_weight_stage},
      {"fade",
       "T",
       "raise from zero over the first T and fall to zero over the last",
       "fade 50ms",
       {},
       make_fade_stage},
      {"mean",
       "[T]",
       "the running mean over T about each sample; without T that of the whole record",
       "mean 20ms",
       {},
       make_mean_stage},
      {"rms",
       "[T]",
       "the running RMS over T about each sample; without T that of the whole record",
       "rms 125ms",
       {},
       make_rms_stage},
      {"envelope",
       "",
       "the amplitude: the magnitude of the analytic signal",
       "envelope",
       {},
       make_envelope_stage},
      {"delay",
       "T",
       "later by T, or earlier by -T; what is not known is missing",
       "delay 3ms",
       {},
       make_delay_stage},
  };
  return table;
}

Chain parse_chain(std::string_view text) {
  Chain chain;
  if (trimmed(text).empty())
    throw Error(Status::usage, "the chain is empty; write for example \"detrend linear | gate 0.2s..1.5s\"");
  for (const std::string& step : split(text, '|')) {
    std::istringstream stream(step);
    std::string name, word;
    std::vector<std::string> words;
    stream >> name;
    while (stream >> word) words.push_back(word);
    if (name.empty()) throw Error(Status::usage, "the chain \"" + clean_text(text) + "\" has an empty step");
    const StageEntry* found = nullptr;
    std::vector<std::string> known;
    for (const StageEntry& entry : stage_table()) {
      known.emplace_back(entry.name);
      if (name == entry.name) found = &entry;
    }
    if (found == nullptr) throw Error(Status::usage, unknown_name("step", name, known));
    try {
      StepWords taken(std::move(words), found->keywords, found->example);
      chain.push_back(found->make(taken));
      taken.done();
    } catch (const Error& error) {
      throw Error(error.status(), "step \"" + clean_text(trimmed(step)) + "\": " + error.what());
    }
  }
  return chain;
}

}  // namespace vprism
