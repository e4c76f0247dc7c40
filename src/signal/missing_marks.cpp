// missing_marks.cpp: see missing_marks.h. Such a number, where it counts at all, is the lowest or the highest
// of its block: ordinary recordings cost one look at the ends of each block.
#include "signal/missing_marks.h"

#include <fmt/format.h>

#include <algorithm>
#include <atomic>
#include <cmath>
#include <limits>

#include "base/error.h"
#include "base/machine/clones.h"
#include "base/machine/side_by_side.h"
#include "base/text.h"

namespace vprism {

namespace {

struct Ends {
  double low = std::numeric_limits<double>::infinity(), high = -std::numeric_limits<double>::infinity();
  bool any() const { return low <= high; }
  double range() const { return high - low; }
  void take(double x) { low = std::min(low, x), high = std::max(high, x); }
};

/// Of what is a number.
VPRISM_WIDE Ends ends_of(const double* x, std::size_t count) {
  constexpr std::size_t lanes = 8;
  double low[lanes], high[lanes];
  for (std::size_t k = 0; k < lanes; ++k)
    low[k] = std::numeric_limits<double>::infinity(), high[k] = -std::numeric_limits<double>::infinity();
  std::size_t n = 0;
  for (; n + lanes <= count; n += lanes)
    for (std::size_t k = 0; k < lanes; ++k) {
      low[k] = x[n + k] < low[k] ? x[n + k] : low[k];
      high[k] = x[n + k] > high[k] ? x[n + k] : high[k];
    }
  Ends out;
  for (; n < count; ++n) {
    low[0] = x[n] < low[0] ? x[n] : low[0];
    high[0] = x[n] > high[0] ? x[n] : high[0];
  }
  for (std::size_t k = 0; k < lanes; ++k)
    out.low = std::min(out.low, low[k]), out.high = std::max(out.high, high[k]);
  return out;
}

bool is_end_of_a_type(double size) {
  return size == 32767 || size == 32768 || size == 65535 || size == 2147483647.0 || size == 2147483648.0 ||
         size == 4294967295.0;
}

/// What one channel holds, but for what may stand for missing.
struct Survey {
  struct Mark {
    double value = 0;
    std::int64_t count = 0, first = 0;
  };
  std::vector<Mark> marks;
  Ends others;
  std::int64_t samples = 0;
  double last = std::nan("");
  int changes = 0;
  bool fractions = false;

  Mark& mark(double value) {
    for (Mark& known : marks)
      if (known.value == value) return known;
    return marks.emplace_back(Mark{value, 0, -1});
  }
  void take(double x) {
    others.take(x);
    ++samples;
    if (changes < 8 && x != last) last = x, ++changes;
    fractions = fractions || x != std::floor(x);
  }
};

/// How far beyond the others a number lies, in their range.
double apart(double value, const Survey& survey) {
  if (!survey.others.any() || !(survey.others.range() > 0)) return 0;
  const double beyond = value < survey.others.low ? survey.others.low - value : value - survey.others.high;
  return beyond / survey.others.range();
}

std::string number_text(double value) { return format_number(value, 9); }

/// As it is printed, or kept in single precision.
bool is_same_mark(double x, double mark) { return std::abs(x - mark) <= 1e-7 * std::abs(mark); }

void take_away(Block& block, std::size_t c, double value) {
  for (double& x : block.samples(c))
    if (is_same_mark(x, value)) x = std::nan(""), block.set_gaps(true);
}

class PassingSource : public SampleSource {
 public:
  PassingSource(std::unique_ptr<SampleSource> source, std::vector<double> given)
      : source_(std::move(source)), given_(std::move(given)) {}
  const Recording& recording() const override { return source_->recording(); }
  bool carries_stamps() const override { return source_->carries_stamps(); }
  void resolve() override { source_->resolve(); }
  void rewind() override { source_->rewind(); }
  std::int64_t seek(std::int64_t sample) override { return source_->seek(sample); }
  std::size_t read(Block& block) override {
    const std::size_t count = source_->read(block);
    for (std::size_t c = 0; c < block.columns() && count > 0; ++c)
      for (const double value : given_) take_away(block, c, value);
    return count;
  }

 private:
  std::unique_ptr<SampleSource> source_;
  std::vector<double> given_;
};

class MarkedSource : public SampleSource {
 public:
  MarkedSource(std::unique_ptr<SampleSource> source, MissingMarks marks)
      : source_(std::move(source)), settings_(std::move(marks)) {}

  const Recording& recording() const override { return has_own_ ? recording_ : source_->recording(); }
  bool carries_stamps() const override { return source_->carries_stamps(); }
  void resolve() override {
    source_->resolve();
    take_over();
  }
  void rewind() override {
    source_->rewind();
    done_ = 0;
  }
  std::int64_t seek(std::int64_t sample) override {
    const std::int64_t at = source_->seek(sample);
    done_ = std::max<std::int64_t>(at, 0);
    return at;
  }

  std::size_t read(Block& block) override {
    const std::size_t count = source_->read(block);
    if (count == 0) {
      surveyed_ = surveyed_ || done_ > 0;  // A whole pass has shown nothing: further ones needn't look.
      take_over();
      return 0;
    }
    const Recording& r = source_->recording();
    if (block.complex() || r.axis.domain != Axis::Domain::time) {
      if (!settings_.given.empty() && cautions_.empty())
        cautions_.push_back({"missing-value-unused", Severity::warning, "",
                             "--missing-value is for real channels over time, and changes nothing here",
                             "leave it out"});
      return count;
    }
    if (!surveyed_ && worth_a_survey(block)) {
      survey(block);
      // Back to where this block begins.
      source_->rewind();
      std::int64_t passed = 0;
      while (passed < done_ && source_->read(block) > 0) passed += static_cast<std::int64_t>(block.size());
      if (passed != done_ || source_->read(block) != count)
        throw Error(Status::input, r.file + ": it changed while it was read");
    }
    done_ += static_cast<std::int64_t>(count);
    for (std::size_t c = 0; c < taken_.size(); ++c)
      for (const double value : taken_[c]) take_away(block, c, value);
    return count;
  }

 private:
  bool worth_a_survey(const Block& block) const {
    if (!settings_.given.empty()) return true;
    if (!settings_.find) return false;
    std::atomic<bool> any{false};
    for_all(block.columns() * block.size() > (std::size_t{1} << 16), block.columns(), [&](std::size_t c) {
      const Ends ends = ends_of(block.samples(c).data(), block.size());
      if (ends.any() && (may_stand_for_missing(ends.low) || may_stand_for_missing(ends.high))) any = true;
    });
    return any;
  }
  bool given(double x) const {
    return std::any_of(settings_.given.begin(), settings_.given.end(),
                       [x](double mark) { return is_same_mark(x, mark); });
  }

  /// All of the recording, in blocks like this one.
  void survey(const Block& like) {
    surveyed_ = true;
    std::vector<Survey> found(like.channels());
    Block block = like;
    source_->rewind();
    std::int64_t at = 0;
    while (const std::size_t count = source_->read(block)) {
      for (std::size_t c = 0; c < found.size(); ++c) look(block.samples(c), at, found[c]);
      at += static_cast<std::int64_t>(count);
    }
    taken_.resize(found.size());
    for (std::size_t c = 0; c < found.size(); ++c) judge(found[c], c);
    for (const double value : settings_.given)
      if (std::none_of(taken_.begin(), taken_.end(), [&](const auto& some) {
            return std::any_of(some.begin(), some.end(),
                               [value](double taken) { return is_same_mark(taken, value); });
          }))
        cautions_.push_back({"missing-value-absent", Severity::warning, "",
                             "--missing-value: no sample is " + number_text(value),
                             "write it as the file has it, before any --calibrate"});
  }

  void look(std::span<const double> x, std::int64_t at, Survey& found) const {
    const Ends ends = ends_of(x.data(), x.size());
    // Most blocks have no such number at all, and their ends show it.
    const bool plain =
        settings_.given.empty() && !may_stand_for_missing(ends.low) && !may_stand_for_missing(ends.high);
    if (plain && found.changes >= 8 && found.fractions && ends.any()) {
      found.others.take(ends.low), found.others.take(ends.high);
      found.samples += static_cast<std::int64_t>(x.size());
      return;
    }
    for (std::size_t n = 0; n < x.size(); ++n) {
      if (std::isnan(x[n])) continue;
      if (given(x[n]) || (!plain && settings_.find && may_stand_for_missing(x[n]))) {
        Survey::Mark& mark = found.mark(x[n]);
        if (mark.count++ == 0) mark.first = at + static_cast<std::int64_t>(n);
      } else {
        found.take(x[n]);
      }
    }
  }

  void judge(const Survey& found, std::size_t c) {
    const Recording& r = source_->recording();
    const std::string& name = r.channels[c].name;
    for (const Survey::Mark& mark : found.marks) {
      const bool asked = given(mark.value);
      const double away = apart(mark.value, found);
      const bool sure = found.changes >= 8 && away > 10 && mark.count <= found.samples &&
                        (found.fractions || !is_end_of_a_type(std::abs(mark.value)));
      if (!asked && !sure && !(away > 0.5 && mark.count > 1 && found.changes >= 8)) continue;
      std::string text = number_text(mark.value) + " stands " +
                         (mark.count == 1 ? "once" : std::to_string(mark.count) + " times") +
                         (mark.count == 1 ? ", at sample " : ", first at sample ") +
                         std::to_string(mark.first + 1);
      if (r.axis.interval > 0 && !r.axis.stamped)
        text += " (" +
                format_quantity(r.axis.start + r.axis.interval * static_cast<double>(mark.first), "s", 6) +
                ")";
      if (found.others.any())
        text += "; all else lies between " + number_text(found.others.low) + " and " +
                number_text(found.others.high);
      if (asked || sure) {
        taken_[c].push_back(mark.value);
        cautions_.push_back(
            {"missing-marks", asked ? Severity::note : Severity::warning, name, text + ": taken as missing",
             asked ? "spectra are averaged between the gaps" : "--missing-value none takes it as a number"});
      } else {
        cautions_.push_back({"missing-marks-possible", Severity::warning, name, text + ": taken as a number",
                             "if it stands for missing, say --missing-value " + number_text(mark.value)});
      }
    }
  }

  /// The recording with what was found.
  void take_over() {
    if (cautions_.empty()) return;
    recording_ = source_->recording();
    recording_.cautions.insert(recording_.cautions.end(), cautions_.begin(), cautions_.end());
    has_own_ = true;
  }

  std::unique_ptr<SampleSource> source_;
  MissingMarks settings_;
  bool surveyed_ = false, has_own_ = false;
  std::int64_t done_ = 0;                   ///< Samples handed on in this pass.
  std::vector<std::vector<double>> taken_;  ///< Of each channel, what is missing.
  std::vector<Caution> cautions_;
  Recording recording_;
};

}  // namespace

bool may_stand_for_missing(double value) {
  const double size = std::abs(value);
  if (size < 99) return false;
  if (size == 99) return value < 0;
  if (size >= 1e19)
    return size == 1e20 || size == 1e30 || size == 1e31 || size == 1e35 || size == 1e36 || size == 1e37 ||
           std::abs(size / 9.96920996838687e36 - 1) < 1e-5 ||
           std::abs(size / 3.4028234663852886e38 - 1) < 1e-5 || size > 1.7e308;
  if (is_end_of_a_type(size)) return true;
  if (size >= 1e10) return false;
  // Nines before and behind the point; 999.25 as well logs have it.
  const double whole = std::floor(size + 1e-9 * size), rest = size - whole;
  if (whole == 999 && std::abs(rest - 0.25) < 1e-4) return true;
  const bool nines_before = whole == 99 || whole == 999 || whole == 9999 || whole == 99999 ||
                            whole == 999999 || whole == 9999999 || whole == 99999999 || whole == 999999999;
  if (!nines_before) return false;
  for (const double nines : {0.0, 0.9, 0.99, 0.999, 0.9999})
    if (std::abs(rest - nines) < std::min(1e-6 * size, 1e-3)) return nines > 0 || whole > 99 || value < 0;
  return false;
}

std::unique_ptr<SampleSource> with_missing_marks(std::unique_ptr<SampleSource> source, MissingMarks marks) {
  if (!marks.find && marks.given.empty()) return source;
  return std::make_unique<MarkedSource>(std::move(source), std::move(marks));
}

std::unique_ptr<SampleSource> with_missing_values(std::unique_ptr<SampleSource> source,
                                                  std::vector<double> given) {
  return std::make_unique<PassingSource>(std::move(source), std::move(given));
}

}  // namespace vprism
