// sections.cpp: see sections.h.
#include "condition/filters/sections.h"

#include <algorithm>
#include <cmath>

#include "condition/filters/backcast.h"
#include "condition/filters/reflected_ends.h"

namespace vprism {

SectionRunner::SectionRunner(std::vector<Section> sections)
    : sections_(std::move(sections)), memory_(sections_.size()) {}

void SectionRunner::settle(double x) {
  for (std::size_t i = 0; i < sections_.size(); ++i) {
    const Section& s = sections_[i];
    const double y = x * (s.b0 + s.b1 + s.b2) / (1 + s.a1 + s.a2);
    memory_[i].two = s.b2 * x - s.a2 * y;
    memory_[i].one = s.b1 * x - s.a1 * y + memory_[i].two;
    x = y;
  }
  settled_ = true;
}

void SectionRunner::run_present(double* x, std::size_t count) {
  std::size_t i = 0;
  // Two at a time: the second works on one sample while the first is at the next.
  for (; i + 1 < sections_.size(); i += 2) {
    const Section s = sections_[i], t = sections_[i + 1];
    double s1 = memory_[i].one, s2 = memory_[i].two, t1 = memory_[i + 1].one, t2 = memory_[i + 1].two;
    for (std::size_t n = 0; n < count; ++n) {
      const double u = x[n], v = s.b0 * u + s1;
      s1 = (s.b1 * u + s2) - s.a1 * v;
      s2 = s.b2 * u - s.a2 * v;
      const double y = t.b0 * v + t1;
      t1 = (t.b1 * v + t2) - t.a1 * y;
      t2 = t.b2 * v - t.a2 * y;
      x[n] = y;
    }
    memory_[i] = {s1, s2}, memory_[i + 1] = {t1, t2};
  }
  if (i < sections_.size()) {
    const Section s = sections_[i];
    double s1 = memory_[i].one, s2 = memory_[i].two;
    for (std::size_t n = 0; n < count; ++n) {
      const double u = x[n], y = s.b0 * u + s1;
      s1 = (s.b1 * u + s2) - s.a1 * y;
      s2 = s.b2 * u - s.a2 * y;
      x[n] = y;
    }
    memory_[i] = {s1, s2};
  }
  // What has died down to nothing must not slow the arithmetic.
  for (Memory& m : memory_) {
    if (std::abs(m.one) < 1e-290) m.one = 0;
    if (std::abs(m.two) < 1e-290) m.two = 0;
  }
}

void SectionRunner::run(double* x, std::size_t count) {
  const double* const end = x + count;
  while (x < end) {
    const double* const gap =
        std::find_if(static_cast<const double*>(x), end, [](double v) { return std::isnan(v); });
    if (gap > x) {
      if (!settled_) settle(*x);
      run_present(x, static_cast<std::size_t>(gap - x));
      x += gap - x;
    }
    if (x < end) settled_ = false;
    while (x < end && std::isnan(*x)) ++x;
  }
}

std::size_t settling_samples(const std::vector<Section>& sections) {
  const double pole = largest_pole(sections);
  // Poles that nearly coincide last longer than one alone.
  const double once = pole > 0 ? std::log(1e-12) / std::log(pole) : 0;
  return static_cast<std::size_t>(std::min(1e12, 16 + 1.5 * once));
}

namespace {

class CausalFilter : public ColumnWorker {
 public:
  explicit CausalFilter(const std::vector<Section>& sections)
      : runner_(sections),
        settling_(std::min<std::size_t>(settling_samples(sections), std::size_t{1} << 20)),
        wanted_(std::clamp<std::size_t>(settling_ / 12, 32, 2048)) {}
  void add(std::span<const double> in, std::vector<double>& out) override {
    if (begun_) return run(in, out);
    head_.insert(head_.end(), in.begin(), in.end());
    if (head_.size() >= wanted_) begin(out);
  }
  void finish(std::vector<double>& out) override {
    if (!begun_) begin(out);
  }

 private:
  void run(std::span<const double> in, std::vector<double>& out) {
    const std::size_t at = out.size();
    out.insert(out.end(), in.begin(), in.end());
    runner_.run(out.data() + at, in.size());
  }
  void begin(std::vector<double>& out) {
    begun_ = true;
    if (std::none_of(head_.begin(), head_.end(), [](double v) { return !std::isfinite(v); })) {
      std::vector<double> before = backcast(head_, std::min<std::size_t>(settling_ / 3, 32768));
      runner_.run(before.data(), before.size());
    }
    run(head_, out);
    head_ = {};
  }

  SectionRunner runner_;
  std::size_t settling_, wanted_;
  bool begun_ = false;
  std::vector<double> head_;
};

class ZeroPhaseFilter : public ReflectedWorker {
 public:
  ZeroPhaseFilter(const std::vector<Section>& sections, std::size_t ahead, std::size_t reach)
      : ReflectedWorker(reach),
        sections_(sections),
        ahead_(ahead),
        reach_(reach),
        stretch_(std::max<std::size_t>(65536, ahead)),
        forward_(sections),
        skip_(reach) {}

 protected:
  void run(bool ended, std::vector<double>& out) override {
    forward_.run(line_.data() + filtered_, line_.size() - filtered_);
    filtered_ = line_.size();
    while (line_.size() >= stretch_ + ahead_) back(stretch_, stretch_ + ahead_, out);
    if (ended && line_.size() > reach_) back(line_.size() - reach_, line_.size(), out);
  }

 private:
  /// Keeps the first `keep` of what the way back over `over` samples gives.
  void back(std::size_t keep, std::size_t over, std::vector<double>& out) {
    back_.assign(line_.rend() - static_cast<std::ptrdiff_t>(over), line_.rend());
    SectionRunner runner(sections_);
    runner.run(back_.data(), over);
    const std::size_t lead = std::min(skip_, keep);
    skip_ -= lead;
    out.insert(out.end(), back_.rbegin() + static_cast<std::ptrdiff_t>(lead),
               back_.rbegin() + static_cast<std::ptrdiff_t>(keep));
    line_.erase(line_.begin(), line_.begin() + static_cast<std::ptrdiff_t>(keep));
    filtered_ -= keep;
  }

  std::vector<Section> sections_;
  std::size_t ahead_, reach_, stretch_;
  SectionRunner forward_;
  std::size_t skip_, filtered_ = 0;
  std::vector<double> back_;
};

}  // namespace

std::unique_ptr<ColumnWorker> make_causal_filter(const std::vector<Section>& sections) {
  return std::make_unique<CausalFilter>(sections);
}

std::unique_ptr<ColumnWorker> make_zero_phase_filter(const std::vector<Section>& sections,
                                                     std::size_t samples) {
  const std::size_t ahead = settling_samples(sections);
  return std::make_unique<ZeroPhaseFilter>(sections, ahead,
                                           std::min(ahead, std::max<std::size_t>(samples, 1)));
}

}  // namespace vprism
