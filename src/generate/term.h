// term.h: what made-up signals are added up from, and the table of such terms.
#pragma once

#include <cstdint>
#include <memory>
#include <span>
#include <string>
#include <utility>
#include <variant>
#include <vector>

#include "base/units/unit.h"
#include "condition/step_words.h"
#include "signal/recording.h"

namespace vprism {

/// The record that a signal is made for.
struct Stretch {
  double rate_hz = 1;
  double start_s = 0;
  std::int64_t samples = 0;
  double duration_s() const { return static_cast<double>(samples) / rate_hz; }
};

/// Truth about a term: {"frequency_hz", 31.2}. Keys carry their unit.
using TruthValue = std::variant<std::string, double, std::vector<double>>;
using Truth = std::vector<std::pair<std::string, TruthValue>>;

class Term {
 public:
  virtual ~Term() = default;
  /// Before the first sample of every pass.
  virtual void start(const Stretch& stretch) = 0;
  /// Adds its value at the times `t` (seconds) to `out`; t[0] is that of sample `first`. Called in order.
  virtual void add(std::int64_t first, std::span<const double> t, std::span<double> out) = 0;
  /// After `start`.
  virtual Truth truth() const = 0;
};

/// The channels before the one in hand: a term may take what they hold.
struct EarlierChannels {
  std::vector<std::string> names;
  std::vector<std::span<const double>> samples;  ///< Of the stretch that is being made.
};

struct TermContext {
  Unit unit;  ///< Of the channel; amplitudes are told in it or in a unit that converts to it.
  std::uint64_t seed = 1;
  std::uint64_t label = 0;  ///< Different for every term.
  const EarlierChannels* earlier = nullptr;
};

/// One row per term: help texts, error suggestions and docs are made from this table.
struct TermEntry {
  const char* name;
  const char* values;
  const char* what;
  const char* example;
  std::vector<std::string> keywords;
  std::unique_ptr<Term> (*make)(StepWords& words, const TermContext& context);
};
const std::vector<TermEntry>& term_table();

/// The same of what stands behind a ">" and is driven by the term before it.
struct DrivenEntry {
  const char* name;
  const char* values;
  const char* what;
  const char* example;
  std::vector<std::string> keywords;
  std::unique_ptr<Term> (*make)(StepWords& words, std::unique_ptr<Term> drive);
};
const std::vector<DrivenEntry>& driven_table();

/// "tone 31.2Hz 0.5 phase 30deg" -> that term. Throws Error(usage), naming the term.
std::unique_ptr<Term> parse_term(std::string_view text, const TermContext& context);

/// An amplitude: "0.5", in the channel's unit, or "500 mV". Throws Error(usage).
double parse_amount(const std::string& text, const Unit& unit);

// Those of the table, by family.
std::unique_ptr<Term> make_tone(StepWords& words, const TermContext& context);
std::unique_ptr<Term> make_hum(StepWords& words, const TermContext& context);
std::unique_ptr<Term> make_square(StepWords& words, const TermContext& context);
std::unique_ptr<Term> make_triangle(StepWords& words, const TermContext& context);
std::unique_ptr<Term> make_sawtooth(StepWords& words, const TermContext& context);
std::unique_ptr<Term> make_pulses(StepWords& words, const TermContext& context);
std::unique_ptr<Term> make_beats(StepWords& words, const TermContext& context);
std::unique_ptr<Term> make_sweep(StepWords& words, const TermContext& context);
std::unique_ptr<Term> make_burst(StepWords& words, const TermContext& context);
std::unique_ptr<Term> make_impulse(StepWords& words, const TermContext& context);
std::unique_ptr<Term> make_step(StepWords& words, const TermContext& context);
std::unique_ptr<Term> make_offset(StepWords& words, const TermContext& context);
std::unique_ptr<Term> make_drift(StepWords& words, const TermContext& context);
std::unique_ptr<Term> make_white(StepWords& words, const TermContext& context);
std::unique_ptr<Term> make_pink(StepWords& words, const TermContext& context);
std::unique_ptr<Term> make_band(StepWords& words, const TermContext& context);
std::unique_ptr<Term> make_spikes(StepWords& words, const TermContext& context);
std::unique_ptr<Term> make_earlier_channel(StepWords& words, const TermContext& context);
std::unique_ptr<Term> make_resonator(StepWords& words, std::unique_ptr<Term> drive);
std::unique_ptr<Term> make_mass_chain(StepWords& words, std::unique_ptr<Term> drive);

}  // namespace vprism
