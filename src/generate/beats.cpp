// beats.cpp: the term `beats`: what comes again and again, but not as a clock does: heartbeats, impacts, the
// teeth of a wheel. Beat k lies at (k + 0.5 + s g_k) / F with a Gaussian number g_k; some are missed, some
// come twice.
#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "generate/random.h"
#include "generate/term.h"

namespace vprism {

namespace {

constexpr std::size_t most_times = 10000;  ///< Of the truth's list.

/// A bell within a beat: where, how high and how wide, in full widths at half height of the main one.
struct Bell {
  double place, height, width;
};
/// An electrocardiogram's waves: P, Q, R, S, T.
constexpr Bell heart_bells[] = {{-6, 0.12, 3}, {-1.1, -0.12, 0.8}, {0, 1, 1}, {1.1, -0.2, 0.8}, {8, 0.25, 5}};
constexpr Bell lone_bell[] = {{0, 1, 1}};

class Beats : public Term {
 public:
  enum class Shape { bell, rectangle, waves };
  struct Settings {
    double hz, amplitude, width_s;
    Shape shape;
    double scatter, missed, extra;
  };
  Beats(const Settings& settings, const TermContext& context)
      : settings_(settings), stray_(context.seed, context.label), fate_(context.seed, ~context.label) {}

  void start(const Stretch& stretch) override { stretch_ = stretch; }

  void add(std::int64_t, std::span<const double> t, std::span<double> out) override {
    if (t.empty()) return;
    for_beats(t.front() - reach_after(), t.back() + reach_before(), [&](double at) { add_one(at, t, out); });
  }

  Truth truth() const override {
    static const char* const names[] = {"bell", "rectangle", "heart"};
    const double end = stretch_.start_s + stretch_.duration_s();
    std::vector<double> times;
    double count = 0;
    for_beats(stretch_.start_s, end, [&](double at) {
      if (at < stretch_.start_s || at >= end) return;
      count += 1;
      if (times.size() < most_times) times.push_back(at);
    });
    std::sort(times.begin(), times.end());
    return {{"kind", std::string("beats")},
            {"frequency_hz", settings_.hz},
            {"amplitude", settings_.amplitude},
            {"width_s", settings_.width_s},
            {"shape", std::string(names[static_cast<int>(settings_.shape)])},
            {"scatter", settings_.scatter},
            {"missed_share", settings_.missed},
            {"extra_share", settings_.extra},
            {"beats", count},
            {"times_s", times}};
  }

 private:
  std::span<const Bell> bells() const {
    return settings_.shape == Shape::waves ? std::span<const Bell>(heart_bells)
                                           : std::span<const Bell>(lone_bell);
  }
  /// How far a beat reaches beyond its own time; four widths of a bell are nine standard deviations.
  double reach_before() const { return (settings_.shape == Shape::waves ? 20 : 4) * settings_.width_s; }
  double reach_after() const { return (settings_.shape == Shape::waves ? 28 : 4) * settings_.width_s; }

  template <typename Take>
  void for_beats(double from, double to, const Take& take) const {
    const auto first = static_cast<std::int64_t>(std::floor(from * settings_.hz)) - 2,
               last = static_cast<std::int64_t>(std::ceil(to * settings_.hz)) + 2;
    for (std::int64_t k = first; k <= last; ++k) {
      const auto n = static_cast<std::uint64_t>(k);
      const double stray = std::clamp(settings_.scatter * stray_.gaussian(n), -0.45, 0.45);
      const double at = (static_cast<double>(k) + 0.5 + stray) / settings_.hz;
      if (fate_.uniform(2 * n) > settings_.missed) take(at);
      if (fate_.uniform(2 * n + 1) <= settings_.extra) take(at + 0.5 / settings_.hz);
    }
  }

  void add_one(double at, std::span<const double> t, std::span<double> out) const {
    const double w = settings_.width_s;
    const auto place = [&](double time) {
      return static_cast<std::size_t>(std::lower_bound(t.begin(), t.end(), time) - t.begin());
    };
    if (settings_.shape == Shape::rectangle) {
      // Times are sums of rounded intervals: edges that fall on samples do so in every beat.
      const double slack = 1e-9 / settings_.hz;
      for (std::size_t n = place(at - slack); n < t.size() && t[n] < at + w - slack; ++n)
        out[n] += settings_.amplitude;
      return;
    }
    for (const Bell& bell : bells()) {
      const double middle = at + bell.place * w, reach = 4 * bell.width * w;
      // exp(-4 ln 2 (u / width)^2) is a half at half the width.
      const double narrow = 4 * std::log(2.0) / (bell.width * w * bell.width * w);
      for (std::size_t n = place(middle - reach); n < t.size() && t[n] < middle + reach; ++n) {
        const double u = t[n] - middle;
        out[n] += settings_.amplitude * bell.height * std::exp(-narrow * u * u);
      }
    }
  }

  Settings settings_;
  RandomStream stray_, fate_;
  Stretch stretch_;
};

}  // namespace

std::unique_ptr<Term> make_beats(StepWords& words, const TermContext& context) {
  Beats::Settings settings{};
  settings.hz = parse_positive(words.value(), Dimension::frequency);
  settings.amplitude = parse_amount(words.value(), context.unit);
  const std::string shape = words.one_of({"bell", "rectangle", "heart"}).value_or("bell");
  settings.shape = shape == "bell"        ? Beats::Shape::bell
                   : shape == "rectangle" ? Beats::Shape::rectangle
                                          : Beats::Shape::waves;
  const auto width = words.keyed("width");
  settings.width_s = width                                   ? parse_positive(*width, Dimension::time)
                     : settings.shape == Beats::Shape::waves ? 0.025 / settings.hz
                                                             : 0.05 / settings.hz;
  if (!(settings.width_s * settings.hz < 0.5))
    throw Error(Status::usage, "the width must be less than half of what lies between two beats");
  const auto share = [&](const char* key, double most) {
    const auto text = words.keyed(key);
    const double value = text ? parse_quantity(*text, Dimension::ratio) : 0;
    if (!(value >= 0 && value <= most))
      throw Error(Status::usage, std::string("\"") + key + "\" must lie between 0 and " +
                                     std::to_string(static_cast<int>(100 * most)) + "%");
    return value;
  };
  settings.scatter = share("scatter", 0.3);
  settings.missed = share("missed", 1);
  settings.extra = share("extra", 1);
  return std::make_unique<Beats>(settings, context);
}

}  // namespace vprism
