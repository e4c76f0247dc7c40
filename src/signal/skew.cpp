// skew.cpp: see skew.h.
#include "signal/skew.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/text.h"

namespace vprism {

namespace {

constexpr long skew_reach = 32;
constexpr double furthest_skew = 4096;

/// Points of a sinc about `off` under Kaiser's window.
std::vector<double> skew_taps(double off) {
  constexpr double beta = 9;
  std::vector<double> out;
  double sum = 0;
  for (long k = -skew_reach; k <= skew_reach; ++k) {
    const double at = static_cast<double>(k) + off, u = at / (skew_reach + 1);
    const double sinc = at == 0 ? 1 : std::sin(std::numbers::pi * at) / (std::numbers::pi * at);
    out.push_back(sinc * std::cyl_bessel_i(0, beta * std::sqrt(std::max(0.0, 1 - u * u))));
    sum += out.back();
  }
  for (double& tap : out) tap /= sum;
  return out;
}

class Deskewed : public SampleSource {
 public:
  Deskewed(std::unique_ptr<SampleSource> source, const std::vector<double>& skew_s)
      : source_(std::move(source)), recording_(source_->recording()) {
    const double interval = recording_.axis.interval;
    double most = 0;
    for (const double skew : skew_s) {
      const double d = skew / interval, whole = std::round(d);
      shifts_.push_back({static_cast<long>(whole), d == 0 ? std::vector<double>() : skew_taps(d - whole)});
      ahead_ = std::max(ahead_, skew_reach + std::abs(static_cast<long>(whole)));
      most = std::max(most, std::abs(skew));
    }
    held_.resize(shifts_.size());
    recording_.notes.emplace_back("skew", "channels were sampled up to " + format_quantity(most, "s") +
                                              " beside the first; brought to its times");
  }
  const Recording& recording() const override { return recording_; }
  void rewind() override {
    source_->rewind();
    for (auto& x : held_) x.clear();
    from_ = at_ = 0;
    ended_ = false;
  }
  std::size_t read(Block& block) override {
    const long wanted = static_cast<long>(block.capacity());
    while (!ended_ && end() < at_ + wanted + ahead_) pull();
    const long count = std::max(0L, std::min(wanted, end() - at_ - (ended_ ? 0 : ahead_)));
    bool gaps = false;
    for (std::size_t c = 0; c < held_.size(); ++c) {
      const auto room = block.room(c);
      for (long n = 0; n < count; ++n) {
        const double y = value(c, at_ + n);
        room[static_cast<std::size_t>(n)] = y;
        gaps = gaps || std::isnan(y);
      }
    }
    block.set(at_, static_cast<std::size_t>(count));
    block.set_gaps(gaps);
    at_ += count;
    // Behind what is still needed before.
    if (const long drop = at_ - from_ - ahead_; drop > 65536) {
      for (auto& x : held_) x.erase(x.begin(), x.begin() + drop);
      from_ += drop;
    }
    return static_cast<std::size_t>(count);
  }

 private:
  struct Shift {
    long whole = 0;
    std::vector<double> taps;
  };
  long end() const { return from_ + static_cast<long>(held_.front().size()); }
  void pull() {
    if (whole_.capacity() == 0) whole_ = source_->make_block();
    const std::size_t count = source_->read(whole_);
    if (count == 0) ended_ = true;
    for (std::size_t c = 0; c < held_.size(); ++c)
      held_[c].insert(held_[c].end(), whole_.samples(c).begin(),
                      whole_.samples(c).begin() + static_cast<std::ptrdiff_t>(count));
  }
  double held(std::size_t c, long n) const { return held_[c][static_cast<std::size_t>(n - from_)]; }
  /// Beyond an end the odd reflection of what lies before it.
  double reflected(std::size_t c, long n) const {
    const long last = end() - 1;
    if (n < 0) return 2 * held(c, 0) - held(c, std::min(-n, last));
    if (n > last) return 2 * held(c, last) - held(c, std::max(from_, 2 * last - n));
    return held(c, n);
  }
  double value(std::size_t c, long n) const {
    const Shift& shift = shifts_[c];
    if (shift.taps.empty()) return held(c, n);
    double sum = 0;
    for (long k = -skew_reach; k <= skew_reach; ++k)
      sum += shift.taps[static_cast<std::size_t>(k + skew_reach)] * reflected(c, n - shift.whole + k);
    return sum;
  }

  std::unique_ptr<SampleSource> source_;
  Recording recording_;
  std::vector<Shift> shifts_;
  std::vector<std::vector<double>> held_;
  Block whole_;
  long from_ = 0, at_ = 0, ahead_ = skew_reach;
  bool ended_ = false;
};

/// Another source with a caution more.
class Cautioned : public SampleSource {
 public:
  Cautioned(std::unique_ptr<SampleSource> source, Caution caution)
      : source_(std::move(source)), caution_(std::move(caution)) {
    take_over();
  }
  const Recording& recording() const override { return recording_; }
  std::size_t read(Block& block) override {
    const std::size_t count = source_->read(block);
    if (count == 0) take_over();
    return count;
  }
  void rewind() override { source_->rewind(); }
  std::int64_t seek(std::int64_t sample) override { return source_->seek(sample); }
  void resolve() override {
    source_->resolve();
    take_over();
  }
  bool carries_stamps() const override { return source_->carries_stamps(); }

 private:
  void take_over() {
    recording_ = source_->recording();
    recording_.cautions.push_back(caution_);
  }
  std::unique_ptr<SampleSource> source_;
  Caution caution_;
  Recording recording_;
};

}  // namespace

std::unique_ptr<SampleSource> make_deskewed(std::unique_ptr<SampleSource> source,
                                            std::vector<double> skew_s) {
  const Recording& r = source->recording();
  skew_s.resize(r.channels.size(), 0);
  double most = 0;
  for (const double skew : skew_s) most = std::max(most, std::abs(skew));
  if (most == 0) return source;
  const bool fits = r.axis.interval > 0 && !source->carries_stamps() && !r.complex &&
                    most < furthest_skew * r.axis.interval && r.samples > 2 * skew_reach;
  if (fits) return std::make_unique<Deskewed>(std::move(source), skew_s);
  return std::make_unique<Cautioned>(
      std::move(source),
      Caution{"skew-left", Severity::warning, "",
              "channels were sampled up to " + format_quantity(most, "s") +
                  " beside the first, as the file says; they are left as they are, since " +
                  (r.axis.interval > 0 ? "the record has uneven times, or is too short for it"
                                       : "its rate is not known"),
              "phases between channels are off by that time"});
}

}  // namespace vprism
