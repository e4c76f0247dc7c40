// preamble_notes.cpp: notes, and what they say of the axis: sample interval, sampling rate, number of
// samples.
#include <algorithm>
#include <cmath>
#include <initializer_list>

#include "base/text.h"
#include "formats/documents/key_meaning.h"
#include "formats/text/axis/axis_words.h"
#include "formats/text/clock/clock.h"
#include "formats/text/titles/preamble_rates.h"
#include "formats/text/titles/text_preamble.h"
#include "formats/text/titles/title_names.h"

namespace vprism {

namespace {

bool contains_any(const std::string& text, std::initializer_list<const char*> words) {
  return std::any_of(words.begin(), words.end(),
                     [&](const char* word) { return text.find(word) != std::string::npos; });
}

/// A number and what stands behind it. A comma is a decimal mark, or where the table has points and three
/// digits follow it sets thousands apart.
struct Amount {
  double number = 0;
  std::string unit;
};
std::optional<Amount> amount_of(const std::string& value, char decimal) {
  Amount out;
  const std::size_t end = value.find_first_not_of("+-.,0123456789eE");
  std::string digits(trimmed(value.substr(0, end)));
  if (end != std::string::npos) out.unit = std::string(trimmed(value.substr(end)));
  while (!digits.empty() && digits.back() == ',') digits.pop_back();
  if (const std::size_t comma = digits.find(','); comma != std::string::npos && decimal == '.') {
    const bool threes = comma > 0 && comma <= 3 && digits[0] != '0' && digits.size() - comma >= 4 &&
                        (digits.size() - comma - 1) % 4 == 3 && digits.find('.') > comma + 3;
    const bool one =
        digits.find(',', comma + 1) == std::string::npos && digits.find('.') == std::string::npos;
    if (threes)
      std::erase(digits, ',');
    else if (one)
      digits[comma] = '.';
  }
  if (!parse_cell(digits, decimal, out.number) && !parse_cell(digits, '.', out.number)) return {};
  // "[s]", "(s)".
  if (out.unit.size() > 2 && ((out.unit.front() == '[' && out.unit.back() == ']') ||
                              (out.unit.front() == '(' && out.unit.back() == ')')))
    out.unit = std::string(trimmed(out.unit.substr(1, out.unit.size() - 2)));
  return out;
}

/// The amount in seconds or in hertz; "k" and "M" by themselves, and "SEC", are taken as they are meant.
class Measure {
 public:
  Measure(Amount amount, const Unit& at_key) : amount_(std::move(amount)) {
    std::string& unit = amount_.unit;
    if (unit.empty() && at_key.text() != "1") unit = at_key.text();
    // "44100 Hz. Sample values on ...": words behind the unit; "50/s"; "51.2k".
    if (const std::size_t end = unit.find_first_of(" ,;");
        end != std::string::npos && !Unit::try_parse(unit) && samples_per_second(unit) == 0) {
      std::string first = unit.substr(0, end);
      while (!first.empty() && (first.back() == '.' || first.back() == ':')) first.pop_back();
      if (Unit::try_parse(first)) unit = first;
    }
    if (unit == "/s" || unit == "/sec") unit = "Hz";
    for (const char* counted : {"points", "pts", "samples", "values"})
      if (lower_case(unit) == counted) unit.clear();
    if (unit == "k" || unit == "M") amount_.number *= unit == "k" ? 1e3 : 1e6, unit.clear();
    if (const double samples = samples_per_second(unit); samples > 0)
      amount_.number *= samples, unit = "Hz", counts_samples_ = true;
  }
  AxisUnit kind() const {
    if (amount_.unit.empty()) return AxisUnit::none;
    if (std::isfinite(in("s"))) return AxisUnit::time;
    return std::isfinite(in("Hz")) ? AxisUnit::frequency : AxisUnit::other;
  }
  bool counts_samples() const { return counts_samples_; }
  bool has_unit() const { return !amount_.unit.empty(); }
  double number() const { return amount_.number; }
  /// NaN where the unit is of another kind; without a unit it is this one.
  double in(const char* base) const {
    if (amount_.unit.empty()) return amount_.number;
    // "SEC", and "uS", which is no siemens here.
    for (const std::string& text : {amount_.unit, lower_case(amount_.unit)})
      if (const auto unit = Unit::try_parse(text); unit && unit->converts_to(Unit::parse(base)))
        return unit->convert(amount_.number, Unit::parse(base));
    return std::nan("");
  }

 private:
  Amount amount_;
  bool counts_samples_ = false;
};

void set_interval(TextLayout& layout, double interval_s, const std::string& key) {
  if (!(interval_s > 0) || layout.interval_s > 0) return;
  layout.interval_s = interval_s;
  layout.interval_source = "preamble (" + key + ")";
}

}  // namespace

// When the record began: "Start time; 2025-11-03T06:07:08Z", or a date and a time of day under two keys.
// Dates that may be read in two ways are left alone.
bool take_date(TextLayout& layout, const std::string& key, const std::string& value) {
  static constexpr std::string_view plain[] = {"date",    "time",      "datum",    "zeit",
                                               "uhrzeit", "date/time", "timestamp"};
  if (std::find(std::begin(plain), std::end(plain), key) == std::end(plain) &&
      !contains_any(key, {"start", "begin", "trigger", "recorded", "record time", "record date",
                          "acquisition", "measurement"}))
    return false;
  if (is_ambiguous_date(value.substr(0, value.find_first_of("T "))) ||
      contains_any(key, {"stop", "end time", "end date"}))
    return false;
  if (const auto whole = parse_date_time(value))
    layout.began_ns = *whole;
  else if (const auto day = parse_date(value))
    layout.began_day_ns = *day;
  else if (const auto time = parse_time_of_day(value); time && value.find(':') != std::string::npos)
    layout.began_time_ns = *time;
  else
    return false;
  return true;
}

void take_note(TextLayout& layout, const std::string& key, std::string value) {
  while (!value.empty() && (value.back() == ';' || value.back() == ' ')) value.pop_back();
  layout.notes.emplace_back(key, value);
  join_threes(value);
  if (take_date(layout, lower_case(key), value)) return;
  const Channel title = channel_from_title(key);
  const std::string& name = title.name.empty() ? key : title.name;
  // "00:00:01" from one sample to the next.
  if (value.find(':') != std::string::npos) {
    if (const auto clock = parse_time_of_day(value);
        clock && axis_word(name, AxisUnit::time) == AxisWord::interval)
      set_interval(layout, static_cast<double>(*clock) * 1e-9, key);
    return;
  }
  const auto amount = amount_of(value, layout.decimal);
  if (!amount) return;
  const Measure measure(*amount, title.unit);
  // "freq = 100 Hz sampling": what stands behind the unit speaks, too.
  const AxisWord alone = axis_word(name, measure.kind());
  const AxisWord word = alone == AxisWord::none && measure.kind() == AxisUnit::frequency &&
                                value.find("sampl") != std::string::npos
                            ? axis_word(name + " " + value, measure.kind())
                            : alone;
  if (word == AxisWord::start) {
    if (const double start = measure.in("s"); std::isfinite(start)) layout.start_s = start;
    return;
  }
  if (!(measure.number() > 0)) return;
  if (measure.counts_samples()) return set_interval(layout, 1 / measure.in("Hz"), key);
  if (word == AxisWord::duration) {
    if (layout.total_s == 0) layout.total_s = measure.in("s");
    return;
  }
  // Keys as attributes have them: "XINCR", "wf_increment", "dt_us".
  double factor = 1;
  const KeyMeaning meaning = lower_case(key) == "step" ? KeyMeaning::none : meaning_of_key(key, factor);
  if (measure.has_unit()) factor = 1;
  if (meaning == KeyMeaning::rate && measure.kind() != AxisUnit::other && measure.kind() != AxisUnit::time)
    return set_interval(layout, 1 / (measure.in("Hz") * factor), key);
  if (meaning == KeyMeaning::interval && measure.kind() != AxisUnit::frequency)
    return set_interval(layout, measure.in("s") * factor, key);
  if (word == AxisWord::interval) {
    if (lower_case(trimmed(name)) == "period" && layout.interval_s == 0)
      layout.cautions.push_back(
          {"interval-assumed", Severity::note, "",
           "the setting \"" + clean_text(key, 40) + "\" is taken as the time from one sample to the next",
           "give --rate or --interval if it is the period of something else"});
    set_interval(layout, measure.in("s"), key);
  }
  if (word == AxisWord::rate)
    set_interval(layout, 1 / measure.in("Hz"), key);
  else if (word == AxisWord::count && measure.number() == std::floor(measure.number()))
    layout.declared = static_cast<std::int64_t>(measure.number());
}

}  // namespace vprism
