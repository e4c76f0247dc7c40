// term.cpp: the table of terms and their parser: `term values > resonator ...`.
#include "generate/term.h"

#include <cmath>
#include <sstream>

#include "base/error.h"
#include "base/text.h"

namespace vprism {

double parse_amount(const std::string& text, const Unit& unit) {
  const Quantity quantity = parse_any_quantity(text);
  if (quantity.unit.text() == "1" || quantity.unit == unit) return quantity.value;
  if (!quantity.unit.converts_to(unit))
    throw Error(Status::usage,
                "\"" + clean_text(text) + "\" does not convert to the channel's unit, " +
                    (unit.text() == "1" ? "which is none; name one behind the channel" : unit.text()));
  return quantity.unit.convert(quantity.value, unit) - quantity.unit.convert(0, unit);
}

const std::vector<TermEntry>& term_table() {
  static const std::vector<TermEntry> table = {
      {"tone",
       "F A [phase P] [harmonics R2,R3,...] [am DEPTH am-rate F] [fm DEVIATION fm-rate F]",
       "A cos(2 pi F t + P); harmonics relative to A; amplitude and frequency modulation by a cosine and a "
       "sine",
       "tone 31.2Hz 0.5 phase 30deg",
       {"phase", "harmonics", "am", "am-rate", "fm", "fm-rate"},
       make_tone},
      {"hum",
       "A [at 50Hz]",
       "mains: A at 50 Hz, a quarter of it at the third harmonic, 15% at the fifth, 7% at the seventh",
       "hum 0.02 at 50Hz",
       {"at"},
       make_hum},
      {"square",
       "F A [duty 50%] [band-limited]",
       "A, then -A; band-limited: its harmonics below half the rate",
       "square 100Hz 1 band-limited",
       {"duty", "band-limited"},
       make_square},
      {"triangle",
       "F A [band-limited]",
       "from 0 up to A, down to -A and back",
       "triangle 100Hz 1",
       {"band-limited"},
       make_triangle},
      {"sawtooth",
       "F A [band-limited]",
       "rises from -A to A, through 0 at time 0",
       "sawtooth 100Hz 1",
       {"band-limited"},
       make_sawtooth},
      {"pulses",
       "F A width T [band-limited]",
       "A for T at the beginning of every period, else 0",
       "pulses 10Hz 1 width 2ms",
       {"width", "band-limited"},
       make_pulses},
      {"beats",
       "F A [bell|rectangle|heart] [width T] [scatter P] [missed P] [extra P]",
       "peaks that come F times a second, scattered by P of a period; some are missed, some come between; as "
       "a bell of that width at half height, a rectangle, or the waves of an electrocardiogram",
       "beats 1.2Hz 1 heart scatter 4% missed 1%",
       {"bell", "rectangle", "heart", "width", "scatter", "missed", "extra"},
       make_beats},
      {"impulse", "T A", "one sample of A at the time T", "impulse 0.5s 1", {}, make_impulse},
      {"step", "T A", "A from the time T on", "step 0.5s 1", {}, make_step},
      {"sweep",
       "F1..F2 A [linear|log] [from T] [for T]",
       "frequency rising or falling over the record or a part of it",
       "sweep 10Hz..1kHz 1 log",
       {"linear", "log", "from", "for"},
       make_sweep},
      {"burst",
       "F|F1..F2 A from T for T [every T]",
       "a tone or chirp that swells and dies away (hann shape)",
       "burst 800Hz..1.2kHz 1 from 0.2s for 50ms",
       {"from", "for", "every"},
       make_burst},
      {"white",
       "D",
       "Gaussian noise of density D, in the unit per square root of Hz",
       "white 1e-3",
       {},
       make_white},
      {"pink",
       "D [at F]",
       "noise whose power falls as 1/f, of density D at F (default 1 kHz)",
       "pink 1e-3 at 100Hz",
       {"at"},
       make_pink},
      {"band",
       "F1..F2 D",
       "noise of density D between F1 and F2 (Butterworth edges of order 4)",
       "band 20Hz..60Hz 1e-3",
       {},
       make_band},
      {"spikes",
       "F A",
       "lone samples of A or -A at random times, F of them a second on average",
       "spikes 2Hz 1.5",
       {},
       make_spikes},
      {"drift", "A", "rises from 0 to A over the record", "drift 0.3", {}, make_drift},
      {"offset", "A", "A at all times", "offset 1.2", {}, make_offset},
      {"channel",
       "NAME",
       "what an earlier channel of the description holds",
       "channel force",
       {},
       make_earlier_channel},
  };
  return table;
}

const std::vector<DrivenEntry>& driven_table() {
  static const std::vector<DrivenEntry> table = {
      {"resonator",
       "F [damping 2%]",
       "a resonance driven by the term before it, gain 1 at 0 Hz",
       "white 1e-3 > resonator 37Hz damping 2%",
       {"damping"},
       make_resonator},
      {"chain",
       "N F [damping 1%] [at P] [from Q]",
       "N equal masses between two walls, F = root of stiffness over mass / 2 pi: displacement of mass P "
       "(default: "
       "the last) under a force on mass Q (default: the first), gain in stiffnesses",
       "white 1 > chain 5 100Hz damping 1% at 2 from 1",
       {"damping", "at", "from"},
       make_mass_chain},
  };
  return table;
}

namespace {

std::vector<std::string> words_of(std::string_view text) {
  std::istringstream stream{std::string(text)};
  std::vector<std::string> out;
  std::string word;
  while (stream >> word) out.push_back(word);
  return out;
}

std::unique_ptr<Term> parse_source(std::vector<std::string> words, const TermContext& context) {
  const std::string name = words.front();
  words.erase(words.begin());
  std::vector<std::string> known;
  for (const TermEntry& entry : term_table()) {
    known.emplace_back(entry.name);
    if (name != entry.name) continue;
    StepWords taken(std::move(words), entry.keywords, entry.example);
    auto term = entry.make(taken, context);
    taken.done();
    return term;
  }
  throw Error(Status::usage, unknown_name("term", name, known));
}

}  // namespace

std::unique_ptr<Term> parse_term(std::string_view text, const TermContext& context) {
  std::unique_ptr<Term> term;
  for (const std::string& part : split(text, '>')) {
    try {
      std::vector<std::string> words = words_of(part);
      if (words.empty())
        throw Error(Status::usage, "nothing stands there; write for example \"tone 50Hz 1\"");
      if (!term) {
        term = parse_source(std::move(words), context);
        continue;
      }
      const DrivenEntry& entry = entry_named("driven term", words.front(), driven_table());
      words.erase(words.begin());
      StepWords taken(std::move(words), entry.keywords, entry.example);
      term = entry.make(taken, std::move(term));
      taken.done();
    } catch (const Error& error) {
      throw Error(error.status(), "term \"" + clean_text(trimmed(part)) + "\": " + error.what());
    }
  }
  return term;
}

}  // namespace vprism
