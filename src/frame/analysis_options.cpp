// analysis_options.cpp: see analysis_options.h.
#include "frame/analysis_options.h"

#include <algorithm>

#include "base/error.h"
#include "base/text.h"
#include "frame/option_groups.h"
#include "transform/time/derived.h"

namespace vprism {

namespace {

template <typename Table>
std::string names_of(const Table& table, const char* between) {
  std::string out;
  for (const auto& entry : table) out += (out.empty() ? "" : between) + std::string(entry.name);
  return out;
}

/// "hann, kaiser(12)" at its commas outside brackets.
std::vector<Window> parse_windows(const std::string& text) {
  std::vector<Window> out;
  std::size_t from = 0;
  int depth = 0;
  for (std::size_t i = 0; i <= text.size(); ++i) {
    if (i < text.size() && text[i] == '(') ++depth;
    if (i < text.size() && text[i] == ')') --depth;
    if (i < text.size() && (text[i] != ',' || depth > 0)) continue;
    out.push_back(parse_window(trimmed(std::string_view(text).substr(from, i - from))));
    from = i + 1;
  }
  if (out.size() > 8) throw Error(Status::usage, "no more than 8 windows can be compared");
  return out;
}

}  // namespace

Option axis_option(const char* name, const char* what, std::optional<bool>& target) {
  return {name,
          "linear|logarithmic",
          std::string(what) + " axis of the figure (default: as suits the data)",
          false,
          [&target](const std::string& t) {
            target = choice("axis", t, {"linear", "logarithmic"}) == 1;
          },
          [&target] {
            return Json(!target ? "" : *target ? "logarithmic" : "linear");
          }};
}

SpanRule parse_span(const std::string& text) {
  SpanRule rule;
  rule.text = text;
  std::string rest = text;
  if (const std::size_t colon = text.rfind(':'); colon != std::string::npos) {
    rule.channel = std::string(trimmed(std::string_view(text).substr(0, colon)));
    rest = text.substr(colon + 1);
  }
  if (const std::size_t at = rest.find('@'); at != std::string::npos) {
    rule.resolution_hz = parse_positive(trimmed(std::string_view(rest).substr(at + 1)), Dimension::frequency);
    rest.resize(at);
  }
  rule.range = parse_range(trimmed(rest), Dimension::frequency);
  return rule;
}

const SpanRule* AnalysisSettings::span_of(const Recording& recording, std::size_t channel) const {
  const SpanRule* found = nullptr;
  for (const SpanRule& rule : spans) {
    if (rule.channel == "*") {
      found = &rule;
      continue;
    }
    try {
      const auto chosen = select_channels(recording, {rule.channel});
      if (std::find(chosen.begin(), chosen.end(), channel) != chosen.end()) found = &rule;
    } catch (const Error&) {
      // Of another recording; a name that fits nowhere is found out by check_channels_used.
    }
  }
  return found;
}

OptionGroup analysis_group(AnalysisSettings& s, const std::vector<std::string>& without) {
  std::string windows;
  for (const WindowEntry& entry : window_table())
    windows += (windows.empty() ? "" : ", ") + std::string(entry.name) + (entry.has_parameter ? "(A)" : "");
  const auto one_length = [&s] {
    if (s.spectrum.resolution_hz && s.spectrum.segment)
      throw Error(Status::usage, "--resolution and --segment say the same thing; give one of them");
  };
  OptionGroup group = {
      "Analysis",
      {{"window", "WINDOW,...",
        windows + " (default: hann); further ones are compared in the figure; see --help windows", false,
        [&s](const std::string& t) {
          const std::vector<Window> all = parse_windows(t);
          s.spectrum.window = all.front();
          s.window_chosen = true;
          s.compared.assign(all.begin() + 1, all.end());
        },
        [&s] {
          std::string all = s.spectrum.window.name();
          for (const Window& window : s.compared) all += "," + window.name();
          return Json(all);
        }},
       {"resolution", "FREQUENCY",
        "resolution bandwidth (RBW) wanted; sets the segment (default: the whole record up to 49151 samples, "
        "an eighth of longer ones)",
        false,
        [&s, one_length](const std::string& t) {
          s.spectrum.resolution_hz = parse_positive(t, Dimension::frequency);
          one_length();
        },
        [&s] { return s.spectrum.resolution_hz ? Json(*s.spectrum.resolution_hz) : Json(nullptr); }},
       {"segment", "N", "samples per segment, any number from 4", false,
        [&s, one_length](const std::string& t) {
          s.spectrum.segment = static_cast<std::size_t>(parse_whole_number(t, 4));
          one_length();
        },
        [&s] { return s.spectrum.segment ? Json(*s.spectrum.segment) : Json(nullptr); }},
       {"overlap", "PERCENT", "how far segments overlap, 0% to 95% (default: 50%)", false,
        [&s](const std::string& t) {
          const double share = parse_quantity(t, Dimension::ratio);
          if (!(share >= 0 && share <= 0.95))
            throw Error(Status::usage, "\"" + clean_text(t) + "\" must lie in 0%..95%");
          s.spectrum.overlap = share;
        },
        [&s] { return Json(s.spectrum.overlap); }},
       {"average", names_of(average_table(), "|"),
        "how segments become one spectrum: mean powers (RMS), linear for mean amplitudes, exponential with "
        "the "
        "newest counting most (exponential(N): by 1/N), median, the highest or the lowest (default: mean)",
        false,
        [&s](const std::string& t) {
          const std::size_t open = t.find('(');
          s.spectrum.average = parse_average(t.substr(0, open));
          if (open == std::string::npos) return;
          if (s.spectrum.average != Average::exponential || t.back() != ')')
            throw Error(Status::usage, "only exponential(N) takes a number");
          s.spectrum.exponential_segments =
              static_cast<double>(parse_whole_number(t.substr(open + 1, t.size() - open - 2), 1));
        },
        [&s] {
          for (const AverageEntry& entry : average_table())
            if (entry.average == s.spectrum.average) return Json(entry.name);
          return Json("");
        }},
       {"scale", names_of(scale_table(), "|"),
        "what levels mean: of a sine peak, peak-to-peak, rms or power; or density of power or energy "
        "(default: "
        "rms)",
        false, [&s](const std::string& t) { s.scale = parse_scale(t); },
        [&s] { return Json(scale_entry(s.scale).name); }},
       {"db", "REFERENCE", "show levels in dB re this many units, such as --db 1 or --db 1e-6", false,
        [&s](const std::string& t) {
          const Quantity q = parse_any_quantity(t);
          if (!(q.value > 0)) throw Error(Status::usage, "the reference must be above zero");
          s.decibel_reference = q.value;
        },
        [&s] { return s.decibel_reference ? Json(*s.decibel_reference) : Json(nullptr); }},
       {"span", "[CHANNEL:] A..B [@ RBW]",
        "frequencies to show and to look for peaks in, such as 10Hz..5kHz, or 'mirror cell: 55Hz..70Hz @ "
        "0.1Hz' "
        "for a channel of its own resolution; may be repeated. A narrow span of a long record is shifted "
        "down "
        "and transformed by itself",
        true, [&s](const std::string& t) { s.spans.push_back(parse_span(t)); },
        [&s] {
          Json all = Json::array();
          for (const SpanRule& rule : s.spans) all.push_back(rule.text);
          return all;
        }},
       count_option("peaks", "how many of the strongest peaks to list (default: 10)", 0, 10000, s.peaks),
       {"phase-at", "T",
        "time that phases refer to (default: the record's start); adds the phase to figure and CSV", false,
        [&s](const std::string& t) { s.phase_at_s = parse_quantity(t, Dimension::time); },
        [&s] { return s.phase_at_s ? Json(*s.phase_at_s) : Json(nullptr); }}}};
  std::erase_if(group.options, [&](const Option& o) {
    return std::find(without.begin(), without.end(), o.name) != without.end();
  });
  return group;
}

OptionGroup spectrum_group(AnalysisSettings& s) {
  return {
      "Spectrum",
      {{"method", "segments|stamps",
        "transform segments of an even record, or fit sines to samples at uneven times (default: segments)",
        false,
        [&s](const std::string& t) {
          s.by_stamps = choice("method", t, {"segments", "stamps"}) == 1;
        },
        [&s] { return Json(s.by_stamps ? "stamps" : "segments"); }},
       {"tapers", "K",
        "multitaper: average over K prolate tapers of half bandwidth (K+1)/2 bins in place of the window; "
        "lines "
        "are still fitted with the window",
        false,
        [&s](const std::string& t) {
          const long long count = parse_whole_number(t, 1);
          if (count > 50) throw Error(Status::usage, "no more than 50 tapers");
          s.spectrum.tapers = static_cast<std::size_t>(count);
          s.spectrum.half_bandwidth = (static_cast<double>(count) + 1) / 2;
        },
        [&s] { return Json(s.spectrum.tapers); }},
       {"pad", "N",
        "zeros behind each segment put bins N times closer: an interpolation of the same resolution", false,
        [&s](const std::string& t) {
          const long long times = parse_whole_number(t, 1);
          if (times > 64) throw Error(Status::usage, "no more than 64 times");
          s.spectrum.pad = static_cast<std::size_t>(times);
        },
        [&s] { return Json(s.spectrum.pad); }},
       {"confidence", "PERCENT", "bounds that the true density lies within so often, such as 95%", false,
        [&s](const std::string& t) {
          const double share = parse_quantity(t, Dimension::ratio);
          if (!(share > 0 && share < 1)) throw Error(Status::usage, "must lie between 0% and 100%");
          s.confidence = share;
        },
        [&s] { return s.confidence ? Json(*s.confidence) : Json(nullptr); }},
       text_option("phase-to", "CHANNEL", "phases relative to this channel; adds them to figure and CSV",
                   s.phase_reference),
       {"derive", "QUANTITY",
        "show displacement, velocity or acceleration of a channel in another of the three, bin by bin", false,
        [&s](const std::string& t) {
          (void)motion_order(std::string_view(t));
          s.derived = t;
        },
        [&s] { return Json(s.derived); }},
       {"bands", "octave|third|1/N|A..B,...",
        "levels in octave bands or their fractions 1/6, 1/12, 1/24, or in bands of your own", false,
        [&s](const std::string& t) { s.bands = t; }, [&s] { return Json(s.bands); }},
       {"slide", "STEP", "move the gate on by this much again and again, and show what changes", false,
        [&s](const std::string& t) { s.slide_s = parse_positive(t, Dimension::time); },
        [&s] { return s.slide_s ? Json(*s.slide_s) : Json(nullptr); }},
       switch_option("overlay", "all channels and recordings in one panel per unit", s.overlay),
       switch_option("trace", "the time trace above each spectrum, the gate marked", s.trace),
       axis_option("frequency-axis", "frequency", s.frequency_logarithmic),
       axis_option("level-axis", "level", s.level_logarithmic)}};
}

}  // namespace vprism
