// limits.cpp: the command `limits`.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "cli/command.h"
#include "cli/console.h"
#include "cli/limit_levels.h"
#include "cli/spectrum.h"

namespace vprism {

namespace {

const std::string outside_span = "outside the span";
/// The shortest segments in which a burst is looked for.
constexpr std::size_t shortest_segment = 64;

/// One channel against one line.
struct HeldLine {
  AskedLimit limit;
  Channel channel;
  Scale scale = Scale::rms;
  LimitLevels levels;
  LimitVerdict verdict;
  std::string dead;  ///< Why the channel can't be judged at all; "" where it can.
  std::string plan;

  bool judged() const { return dead.empty() && verdict.compared > 0; }
  /// What lies outside a span that was asked for is not missing.
  bool in_full() const {
    return judged() && std::all_of(verdict.not_judged.begin(), verdict.not_judged.end(),
                                   [](const LimitGap& gap) { return gap.why == outside_span; });
  }
  bool fails() const { return judged() && !verdict.pass; }
  const char* word() const {
    return fails() ? "FAIL" : in_full() ? "pass" : judged() ? "pass in part" : "NOT JUDGED";
  }
};

struct Recorded {
  InputFacts facts;
  std::vector<HeldLine> held;
  std::vector<Caution> cautions;
};

class LimitsTask : public Task {
 public:
  std::vector<OptionGroup> options() override {
    return {
        input_group(input_),
        analysis_group(analysis_, {"peaks", "phase-at", "db"}),
        {"Limits",
         {text_option("limit", "FILE",
                      "limit lines: a table over frequency, or TOML (needed; docs/formats.md)", file_),
          {"course", "logarithmic|linear|step",
           "how a line that does not say so runs between its points (default: logarithmic)", false,
           [this](const std::string& t) { course_ = parse_course(t); },
           [this] {
             static const char* const names[] = {"logarithmic", "linear", "step"};
             return Json(names[static_cast<int>(course_)]);
           }},
          switch_option("partial",
                        "let what can be judged decide: a line that runs beyond half the rate, under the RBW "
                        "or over a gap does not fail for that",
                        partial_)}},
        output_group(output_)};
  }
  std::size_t threads() const override { return output_.threads; }

  Status run(const std::vector<std::string>& files, const Json& settings) override {
    if (file_.empty()) throw Error(Status::usage, "--limit FILE is needed: a table over frequency, or TOML");
    Console console(output_);
    Telling telling;
    telling.command = "limits";
    telling.settings = settings;
    const std::vector<AskedLimit> limits = read_limits(file_, course_);
    std::vector<Recorded> all;
    bool pass = true, in_full = true, any = false;
    const auto inputs = open_inputs(files, input_);
    const std::vector<std::string> stems = output_stems(input_files(files, input_), "-limits");
    const auto outputs = open_outputs(output_, "limits", files, stems);
    for (const auto& input : inputs) {
      all.push_back(hold(*input, limits, console.progress("limits " + input->road().recording().file)));
      const Recorded& r = all.back();
      telling.inputs.push_back(r.facts);
      telling.cautions.insert(telling.cautions.end(), r.cautions.begin(), r.cautions.end());
      telling.text += text(r);
      for (const HeldLine& h : r.held) {
        telling.results.push_back(json(h));
        pass = pass && !h.fails();
        in_full = in_full && h.in_full();
        any = any || h.judged();
      }
    }
    if (!any) {
      const HeldLine& h = all.front().held.front();
      throw Error(
          Status::analysis,
          all.front().facts.recording.file + ": " +
              (!h.dead.empty() ? h.channel.name + " can't be judged: " + h.dead
                               : "the limit \"" + clean_text(h.limit.line.name) + "\" runs from " +
                                     format_quantity(h.limit.line.points.front().first, "Hz") + " to " +
                                     format_quantity(h.limit.line.points.back().first, "Hz") +
                                     ", where there is no level to compare with"));
    }
    const bool enough = in_full || partial_;
    const std::string verdict = !pass ? "fail" : enough ? "pass" : "not judged in full";
    telling.text += !pass ? "FAIL: limits are exceeded\n\n"
                    : !enough
                        ? "NOT JUDGED IN FULL: nothing that was judged exceeds its limit, but not all was; "
                          "--partial lets that decide\n\n"
                    : in_full ? "PASS: all levels keep their limits\n\n"
                              : "PASS in part: all that was judged keeps its limit\n\n";
    telling.further["verdict"] = verdict;
    telling.further["judged_in_full"] = in_full;
    return deliver(
        telling, output_, console, outputs.get(),
        [&](Outputs& folder) {
          for (std::size_t i = 0; i < all.size(); ++i) {
            folder.add(stems[i] + ".csv", csv(all[i]), "violations and least margins");
            folder.add_figure(stems[i], figure(all[i]), "levels, limits and what exceeds them");
          }
        },
        stems.front() + ".json", pass && enough ? Status::done : Status::check_failed);
  }

 private:
  Recorded hold(Input& input, const std::vector<AskedLimit>& limits, const Progress& progress) const {
    Recorded out;
    const bool stored = holds_spectra(input);
    std::optional<SpectrumResult> mean, peak;
    std::vector<std::pair<SpectrumResult, SpectrumResult>> shorter;  // Highest and median.
    std::vector<StoredSpectrum> curves;
    if (stored) {
      curves = read_stored_spectra(input);
      out.facts = curves.front().facts;
    } else {
      AnalysisSettings analysis = analysis_;
      analysis.peaks = analysis.search.most;
      const auto wants = [&](bool p) {
        return std::any_of(limits.begin(), limits.end(),
                           [&](const AskedLimit& l) { return l.peak_detector == p; });
      };
      if (wants(false)) mean = compute_spectrum(input, analysis, progress);
      analysis.spectrum.average = Average::peak_hold;
      if (wants(true)) {
        peak = compute_spectrum(input, analysis, progress);
        // Segments that nobody chose are too long for a burst: shorter ones are looked at as well.
        const bool chosen = analysis_.spectrum.segment || analysis_.spectrum.resolution_hz;
        std::size_t segment = chosen ? 0 : peak->channels.front().spectrum.plan.segment / 4;
        for (analysis.peaks = 0; segment >= shortest_segment; segment /= 4) {
          analysis.spectrum.segment = segment;
          analysis.spectrum.average = Average::peak_hold;
          SpectrumResult highest = compute_spectrum(input, analysis, progress);
          analysis.spectrum.average = Average::median;
          shorter.emplace_back(std::move(highest), compute_spectrum(input, analysis, progress));
        }
      }
      const SpectrumResult& one = mean ? *mean : *peak;
      out.facts = one.facts;
      out.cautions = one.cautions;
    }
    const Recording& r = out.facts.recording;
    for (const AskedLimit& limit : limits)
      for (const std::size_t c : select_channels(r, {limit.channels})) {
        HeldLine h;
        double least_hz = 0, top_hz = 0;
        h.limit = limit;
        h.channel = r.channels[c];
        if (stored) {
          h.levels.hz = curves[c].hz;
          h.levels.level = curves[c].level;
          h.scale = limit.scale.value_or(analysis_.scale);
          const bool fits = limit.decibels || limit.unit.text() == "1" ||
                            limit.unit.text() == h.channel.unit.text() ||
                            (limit.unit.known() && limit.unit.converts_to(h.channel.unit));
          if (!fits)
            throw Error(Status::usage, r.file + ": the limit \"" + clean_text(limit.line.name) + "\" is in " +
                                           clean_text(limit.unit.text()) + ", the spectrum in " +
                                           clean_text(h.channel.unit.text()));
          const double factor =
              limit.unit.known() && h.channel.unit.known() && limit.unit.text() != "1" && !limit.decibels
                  ? limit.unit.convert(1, h.channel.unit)
                  : 1;
          for (auto& [hz, level] : h.limit.line.points) level *= factor;
        } else {
          const ChannelSpectrum& s = (limit.peak_detector ? *peak : *mean).channels[c];
          const auto [scale, factor] = limit_meaning(limit, h.channel.unit, analysis_, r.file);
          h.scale = scale;
          if (!limit.decibels)
            for (auto& [hz, level] : h.limit.line.points) level *= factor;
          const auto [low, high] = s.curve().bins_within(s.span ? s.span->low : std::nullopt,
                                                         s.span ? s.span->high : std::nullopt);
          h.levels = limit_levels(s.curve(), s.peaks, low, high, scale);
          if (limit.peak_detector) {
            h.levels.std_db.clear();  // The highest of all segments is what it is.
            for (const auto& [highest, usual] : shorter)
              if (c < highest.channels.size())
                lift_by_bursts(highest.channels[c].spectrum, usual.channels[c].spectrum, scale, h.levels);
          }
          h.plan = plan_text(s.curve(), analysis_.spectrum.overlap);
          least_hz = s.curve().two_sided ? 0 : s.curve().plan.rbw_hz;
          top_hz = s.curve().frequency_hz(s.curve().bins() - 1);
          // A sensor that is stuck keeps every limit.
          if (!s.no_data.empty())
            h.dead = s.no_data;
          else if (still(s.spectrum))
            h.dead = "it holds " + format_quantity(s.spectrum.mean, h.channel.unit.label()) +
                     " throughout, as a dead sensor would";
        }
        limit_from_decibels(h.limit, h.scale, analysis_);
        h.verdict = judge_limit(h.limit.line, h.levels, scale_entry(h.scale).amplitude, least_hz);
        name_gaps(h, top_hz);
        const LimitViolation& worst = h.verdict.worst;
        if (h.judged() && std::abs(worst.margin_db) < 2 * worst.margin_std_db)
          out.cautions.push_back(
              {"verdict-unsure", h.verdict.pass ? Severity::note : Severity::warning, h.channel.name,
               fmt::format("the least margin to {}, {:+.2f} dB, is within twice its uncertainty, {:.2g} dB",
                           clean_text(h.limit.line.name), worst.margin_db, worst.margin_std_db),
               "record longer, or average more with a coarser --resolution"});
        out.held.push_back(std::move(h));
      }
    return out;
  }

  /// Whether nothing but the mean is there.
  static bool still(const Spectrum& s) {
    const auto beside_mean = static_cast<std::size_t>(window_half_width_bins(s.window)) + 1;
    double square = 0;
    for (std::size_t k = s.mirrored() ? beside_mean : 0; k < s.bins(); ++k) square += s.share(k);
    return !(std::sqrt(square) > 1e-12 * std::abs(s.mean));
  }

  /// Whether the levels end at half the rate or at the end of a span is for the reader to know.
  static void name_gaps(HeldLine& h, double top_hz) {
    for (LimitGap& gap : h.verdict.not_judged)
      if (top_hz > 0 && gap.why == "beyond the last level")
        gap.why = h.levels.hz.back() >= 0.999 * top_hz ? "beyond half the rate" : outside_span;
      else if (top_hz > 0 && gap.why == "below the first level")
        gap.why = outside_span;
  }

  static std::string decibels(double value, double std_db, bool sign) {
    if (!(std_db > 0)) return sign ? fmt::format("{:+.2f} dB", value) : fmt::format("{:.2f} dB", value);
    return (sign && value >= 0 ? "+" : "") + format_uncertain(value, std_db, "dB");
  }

  std::string unit_of(const HeldLine& h) const {
    return h.plan.empty() ? h.channel.unit.label() : scale_unit(h.channel.unit, h.scale);
  }

  std::string text(const Recorded& r) const {
    std::string out = clean_text(r.facts.recording.file) + "\n";
    TextTable table({{"channel", TextTable::Align::left},
                     {"limit", TextTable::Align::left},
                     {"verdict", TextTable::Align::left},
                     {"worst at"},
                     {"level"},
                     {"limit there"},
                     {"margin"}});
    for (const HeldLine& h : r.held)
      if (!h.judged())
        table.add({h.channel.name, h.limit.line.name, h.word(), "-", "-", "-", "-"});
      else
        table.add({h.channel.name, h.limit.line.name, h.word(),
                   format_quantity(h.verdict.worst.frequency_hz, "Hz", 6),
                   format_quantity(h.verdict.worst.level, unit_of(h), 4),
                   format_quantity(h.verdict.worst.limit, unit_of(h), 4),
                   decibels(h.verdict.worst.margin_db, h.verdict.worst.margin_std_db, true)});
    out += table.text() + "\n";
    for (const HeldLine& h : r.held) {
      if (!h.dead.empty()) out += "  " + h.channel.name + " is not judged: " + h.dead + "\n";
      for (const LimitGap& gap : h.verdict.not_judged)
        out += "  " + h.channel.name + ", " + h.limit.line.name + ": not judged from " +
               format_quantity(gap.low_hz, "Hz", 5) + " to " + format_quantity(gap.high_hz, "Hz", 5) + ", " +
               gap.why + "\n";
    }
    for (const HeldLine& h : r.held) {
      if (!h.fails()) continue;
      out += "  " + h.channel.name + " exceeds " + h.limit.line.name + "\n";
      TextTable violations({{"from"}, {"to"}, {"worst at"}, {"level"}, {"limit"}, {"over by"}});
      std::vector<LimitViolation> listed = h.verdict.violations;
      std::stable_sort(listed.begin(), listed.end(),
                       [](const auto& a, const auto& b) { return a.margin_db < b.margin_db; });
      for (std::size_t i = 0; i < std::min<std::size_t>(20, listed.size()); ++i)
        violations.add(
            {format_quantity(listed[i].low_hz, "Hz", 6), format_quantity(listed[i].high_hz, "Hz", 6),
             format_quantity(listed[i].frequency_hz, "Hz", 6),
             format_quantity(listed[i].level, unit_of(h), 4), format_quantity(listed[i].limit, unit_of(h), 4),
             decibels(-listed[i].margin_db, listed[i].margin_std_db, false)});
      out += violations.text("    ");
      if (listed.size() > 20) out += fmt::format("    and {} more, in the CSV\n", listed.size() - 20);
    }
    return out + "\n";
  }

  static Json violation_json(const LimitViolation& v) {
    return {{"low_hz", number(v.low_hz)},
            {"high_hz", number(v.high_hz)},
            {"frequency_hz", number(v.frequency_hz)},
            {"level", number(v.level)},
            {"limit", number(v.limit)},
            {"margin_db", number(v.margin_db)},
            {"margin_std_db", v.margin_std_db > 0 ? number(v.margin_std_db) : Json(nullptr)}};
  }

  Json json(const HeldLine& h) const {
    Json violations = Json::array();
    for (const LimitViolation& v : h.verdict.violations) violations.push_back(violation_json(v));
    Json gaps = Json::array();
    for (const LimitGap& gap : h.verdict.not_judged)
      gaps.push_back({{"low_hz", number(gap.low_hz)}, {"high_hz", number(gap.high_hz)}, {"why", gap.why}});
    if (!h.dead.empty()) gaps.push_back({{"low_hz", nullptr}, {"high_hz", nullptr}, {"why", h.dead}});
    return {{"channel", h.channel.name},
            {"unit", h.channel.unit.label()},
            {"limit", h.limit.line.name},
            {"level_unit", unit_of(h)},
            {"scale", scale_entry(h.scale).name},
            {"detector", h.limit.peak_detector ? "peak" : "average"},
            {"compared", h.verdict.compared},
            {"verdict", h.fails()                                 ? "fail"
                        : h.in_full() || (partial_ && h.judged()) ? "pass"
                                                                  : "not judged in full"},
            {"judged_in_full", h.in_full()},
            {"not_judged", gaps},
            {"margin_std_db", h.judged() && h.verdict.worst.margin_std_db > 0
                                  ? number(h.verdict.worst.margin_std_db)
                                  : Json(nullptr)},
            {"worst", h.judged() ? violation_json(h.verdict.worst) : Json(nullptr)},
            {"violations", violations}};
  }

  std::string csv(const Recorded& r) const {
    std::string out =
        "channel,limit,what,from (Hz),to (Hz),worst at (Hz),level,limit there,unit,margin (dB)\n";
    for (const HeldLine& h : r.held) {
      const auto add = [&](const char* what, const LimitViolation& v) {
        out += fmt::format("{},{},{},{:.10g},{:.10g},{:.10g},{:.6g},{:.6g},{},{:.4f}\n",
                           csv_cell(h.channel.name), csv_cell(h.limit.line.name), what, v.low_hz, v.high_hz,
                           v.frequency_hz, v.level, v.limit, csv_cell(unit_of(h)), v.margin_db);
      };
      if (h.judged()) add("least margin", h.verdict.worst);
      for (const LimitGap& gap : h.verdict.not_judged)
        out += fmt::format("{},{},{},{:.10g},{:.10g},,,,,\n", csv_cell(h.channel.name),
                           csv_cell(h.limit.line.name), csv_cell("not judged: " + gap.why), gap.low_hz,
                           gap.high_hz);
      for (const LimitViolation& v : h.verdict.violations) add("violation", v);
    }
    return out;
  }

  Figure figure(const Recorded& r) const {
    Figure figure;
    figure.title = r.facts.recording.stem() + ": limits";
    for (const HeldLine& h : r.held) {
      if (figure.caption.empty() && !h.plan.empty())
        figure.caption = h.plan + "; numbered: what exceeds the limit";
      Panel panel;
      panel.title = !h.judged()
                        ? h.channel.name + ": " + h.limit.line.name + " not judged"
                        : fmt::format("{}: {} {} ({:+.1f} dB at {})", h.channel.name, h.limit.line.name,
                                      h.fails()     ? "EXCEEDED"
                                      : h.in_full() ? "kept"
                                                    : "kept where judged",
                                      h.verdict.worst.margin_db,
                                      format_quantity(h.verdict.worst.frequency_hz, "Hz", 4));
      const double low = h.limit.line.points.front().first, high = h.limit.line.points.back().first;
      const bool spread = low > 0 && high > 8 * low;
      panel.x = {"Frequency", "Hz", spread, low, high};
      panel.y = {scale_entry(h.scale).density ? "Density" : "Level", unit_of(h), true, {}, {}};
      Curve levels;
      levels.name = h.limit.peak_detector ? "highest of the segments" : "level";
      double least = 1e300, most = 0;
      for (std::size_t k = 0; k < h.levels.hz.size(); ++k)
        if (h.levels.hz[k] >= low && h.levels.hz[k] <= high && h.levels.level[k] > 0) {
          levels.x.push_back(h.levels.hz[k]);
          levels.y.push_back(h.levels.level[k]);
          most = std::max(most, h.levels.level[k]);
        }
      std::vector<double> sorted = levels.y;
      std::sort(sorted.begin(), sorted.end());
      if (!sorted.empty()) least = sorted[sorted.size() / 50];
      panel.curves.push_back(thinned(std::move(levels), 4000, spread));
      Curve line;
      line.name = h.limit.line.name;
      line.colour = 1;
      constexpr int steps = 600;
      for (int i = 0; i <= steps; ++i) {
        const double part = static_cast<double>(i) / steps;
        const double hz =
            std::clamp(spread ? low * std::pow(high / low, part) : low + part * (high - low), low, high);
        const double level = h.limit.line.at(hz).value_or(std::nan(""));
        line.x.push_back(hz);
        line.y.push_back(level);
        if (level > 0) most = std::max(most, level), least = std::min(least, level);
      }
      panel.curves.push_back(std::move(line));
      if (least < most) panel.y.low = least / 3;
      int index = 0;
      std::vector<LimitViolation> listed = h.verdict.violations;
      std::stable_sort(listed.begin(), listed.end(),
                       [](const auto& a, const auto& b) { return a.margin_db < b.margin_db; });
      for (const LimitViolation& v : listed)
        if (++index <= 12) panel.marks.push_back({v.frequency_hz, v.level, std::to_string(index)});
      figure.panels.push_back(std::move(panel));
    }
    return figure;
  }

  InputSettings input_;
  AnalysisSettings analysis_;
  OutputSettings output_;
  std::string file_;
  bool partial_ = false;
  LimitCourse course_ = LimitCourse::logarithmic;
};

}  // namespace

std::unique_ptr<Task> make_limits_task() { return std::make_unique<LimitsTask>(); }

}  // namespace vprism
