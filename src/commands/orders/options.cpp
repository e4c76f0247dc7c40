// options.cpp: the command `orders`: what turns with a shaft, over its speed.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "commands/orders/orders.h"
#include "commands/shared/each_input.h"
#include "commands/shared/held.h"
#include "commands/shared/maps.h"
#include "transform/maps/spectrogram.h"

namespace vprism {

namespace {

class OrdersTask : public EachInputTask<OrdersResult> {
 public:
  OrdersTask() : EachInputTask("orders") {}

  std::vector<OptionGroup> options() override {
    return {
        input_group(input_),
        {"Shaft",
         {text_option("tachometer", "CHANNEL",
                      "channel with the pulses (default: the one whose name begins with tach)", tachometer_),
          {"pulses", "N", "pulses of one revolution (default: 1)", false,
           [this](const std::string& t) {
             pulses_ = parse_any_quantity(t).value;
             if (!(pulses_ > 0)) throw Error(Status::usage, "must be above zero");
           },
           [this] { return Json(pulses_); }},
          {"level", "LEVEL", "level that a pulse rises through (default: half-way)", false,
           [this](const std::string& t) { level_ = parse_any_quantity(t).value; },
           [this] { return level_ ? Json(*level_) : Json(nullptr); }},
          {"ridge", "ORDER",
           "no tachometer: follow the strongest line of the spectrogram, which is this order of the shaft",
           false,
           [this](const std::string& t) {
             ridge_order_ = parse_any_quantity(t).value;
             if (!(*ridge_order_ > 0)) throw Error(Status::usage, "must be above zero");
           },
           [this] { return ridge_order_ ? Json(*ridge_order_) : Json(nullptr); }},
          range_option("ridge-span", "where that line is looked for", Dimension::frequency, ridge_span_)}},
        {"Orders",
         {{"revolutions", "N", "revolutions of a block: orders closer than 1.5/N merge (default: 8)", false,
           [this](const std::string& t) {
             settings_.revolutions = parse_any_quantity(t).value;
             if (!(settings_.revolutions >= 1)) throw Error(Status::usage, "must be at least one");
           },
           [this] { return Json(settings_.revolutions); }},
          {"highest", "ORDER", "highest order (default: what the rate allows, at most 40)", false,
           [this](const std::string& t) {
             settings_.highest = parse_any_quantity(t).value;
             if (!(settings_.highest >= 1)) throw Error(Status::usage, "must be at least one");
           },
           [this] { return Json(settings_.highest); }},
          {"cut", "ORDER,...", "orders to follow over speed (default: those that stand out)", true,
           [this](const std::string& t) {
             for (const std::string& part : split(t, ',')) {
               const double order = parse_any_quantity(part).value;
               if (!(order > 0)) throw Error(Status::usage, "must be above zero");
               if (order > 1e6) throw Error(Status::usage, "at most order 1000000 can be followed");
               settings_.cuts.push_back(order);
             }
           },
           [this] { return Json(settings_.cuts); }},
          map_option(map_, "how the map of orders over speed is written (default: hdf5)")}},
        output_group(output_)};
  }

 protected:
  std::vector<std::string> needed_channels() const override {
    return tachometer_.empty() ? std::vector<std::string>() : std::vector{tachometer_};
  }
  void check_settings() const override {
    if (ridge_order_ && !tachometer_.empty())
      throw Error(Status::usage, "--tachometer and --ridge both give the speed; give one of them");
  }

  OrdersResult measure(Input& input, const Progress& progress) override {
    const Held held = hold_samples(input, progress);
    const Recording& r = held.recording;
    OrdersResult result;
    result.facts = held.facts;
    const std::optional<std::size_t> tachometer = tachometer_of(r);
    if (tachometer)
      by_pulses(result, held, *tachometer);
    else if (ridge_order_)
      by_ridge(result, held);
    else
      throw Error(
          Status::analysis,
          r.file +
              ": no channel's name begins with tach; name one with --tachometer, or follow a line of the "
              "spectrogram with --ridge ORDER");
    for (int i = 0; i <= 1000; ++i) {
      const double v = result.shaft.speed(result.shaft.start_s() +
                                          (result.shaft.end_s() - result.shaft.start_s()) * i / 1000);
      result.slowest = i == 0 ? v : std::min(result.slowest, v), result.fastest = std::max(result.fastest, v);
    }
    for (std::size_t c = 0; c < r.channels.size(); ++c) {
      if (tachometer == c) continue;
      try {
        OrdersOfChannel channel;
        channel.channel = r.channels[c];
        channel.orders = analyse_orders(held.columns[c], r.axis.rate_hz(), result.shaft, settings_);
        channel.frequencies = frequencies_over_speed(held.columns[c], r.axis.rate_hz(), result.shaft);
        warn_of_quick_crossings(channel, result.facts.recording.cautions);
        result.channels.push_back(std::move(channel));
      } catch (const Error& error) {
        throw Error(error.status(),
                    r.file + ": channel \"" + clean_text(r.channels[c].name) + "\": " + error.what());
      }
    }
    if (result.channels.empty())
      throw Error(Status::analysis, r.file + ": there is no channel beside the tachometer");
    return result;
  }

  void report(const OrdersResult& result, Delivery& delivery) override { report_orders(result, delivery); }

  void write(OrdersResult& result, const std::string& base, Outputs& folder) override {
    std::string cuts =
        "channel,order,time (s),speed (rev/s),frequency (Hz),amplitude (peak),phase (deg),unit\n";
    for (std::size_t c = 0; c < result.channels.size(); ++c) {
      const OrdersOfChannel& channel = result.channels[c];
      const std::string number = result.channels.size() > 1 ? "-" + std::to_string(c + 1) : "";
      for (const OrderCut& cut : channel.orders.cuts)
        for (std::size_t n = 0; n < cut.speed.size(); ++n)
          cuts += fmt::format(
              "{},{:.6g},{:.8g},{:.8g},{:.8g},{:.6g},{:.3f},{}\n", csv_cell(channel.channel.name), cut.order,
              result.facts.recording.axis.start + cut.time_s[n], cut.speed[n], cut.order * cut.speed[n],
              cut.amplitude[n], cut.phase_deg[n], csv_cell(channel.channel.unit.text()));
      write_level_map(folder, map_, base + number, "amplitudes over speed and order, " + channel.channel.name,
                      channel.orders.by_speed, 0,
                      {"order", "speed (rev/s)", "amplitude (" + channel.channel.unit.label() + ")", {}},
                      [](double power) { return std::sqrt(2 * power); });
      folder.add_figure(base + number, orders_figure(result, channel, settings_.revolutions),
                        "orders and frequencies over speed, order cuts");
    }
    folder.add(base + "-cuts.csv", cuts, "amplitude and phase of each order along the run");
  }

 private:
  std::optional<std::size_t> tachometer_of(const Recording& r) const {
    if (ridge_order_) return {};
    if (!tachometer_.empty()) {
      const std::vector<std::size_t> chosen = select_channels(r, {tachometer_});
      if (chosen.size() != 1)
        throw Error(Status::usage,
                    "--tachometer " + clean_text(tachometer_) + " names more than one channel");
      return chosen.front();
    }
    for (std::size_t c = 0; c < r.channels.size(); ++c)
      if (starts_with(lower_case(r.channels[c].name), "tach")) return c;
    return {};
  }

  void by_pulses(OrdersResult& result, const Held& held, std::size_t channel) const {
    const Recording& r = held.recording;
    const TriggerLevel usual = trigger_level(held.columns[channel]);
    std::vector<double> times =
        rising_edges(held.columns[channel], level_.value_or(usual.level), usual.hysteresis);
    for (double& t : times) t *= r.axis.interval;
    const std::string name = r.channels[channel].name;
    if (times.size() < 4)
      throw Error(Status::analysis, r.file + ": channel \"" + clean_text(name) + "\" has " +
                                        std::to_string(times.size()) +
                                        " pulses through its level; give --level, or --ridge ORDER");
    result.pulses = mend_pulses(std::move(times));
    // An edge between two samples is known to about a quarter of their distance.
    result.shaft = angle_of_pulses(result.pulses, pulses_, r.axis.interval / std::sqrt(12.0));
    result.speed_from = name + (pulses_ == 1 ? ", a pulse each revolution"
                                             : ", " + format_number(pulses_) + " pulses each revolution");
    std::vector<Caution>& out = result.facts.recording.cautions;
    if (result.pulses.missing > 0)
      out.push_back(
          {"tachometer-dropouts", Severity::warning, name,
           fmt::format("{} {} missing, first between {} and {} s, and put in as the speed around them has it",
                       result.pulses.missing, result.pulses.missing == 1 ? "pulse is" : "pulses are",
                       format_number(r.axis.start + result.pulses.gaps.front().first, 6),
                       format_number(r.axis.start + result.pulses.gaps.front().second, 6)),
           "check the sensor's distance and the --level"});
    if (result.pulses.extra > 0)
      out.push_back({"tachometer-bounces", Severity::warning, name,
                     fmt::format("{} {} far too soon and left out", result.pulses.extra,
                                 result.pulses.extra == 1 ? "pulse came" : "pulses came"),
                     "check the --level"});
  }

  void by_ridge(OrdersResult& result, const Held& held) const {
    const Recording& r = held.recording;
    // Of the first channel: the strongest line that lasts.
    LevelMap map = map_of(held.columns[0], r.axis.rate_hz()).map;
    if (ridge_span_) map = map.cropped(ridge_span_->low, ridge_span_->high);
    RidgeSearch search;
    search.most_gap = 6;
    search.least_columns = map.columns / 4;
    const std::vector<Ridge> ridges = map.rows() > 2 ? find_ridges(map, search) : std::vector<Ridge>{};
    if (ridges.empty())
      throw Error(Status::analysis, r.file +
                                        ": no line in the spectrogram lasts a quarter of the record; give "
                                        "--ridge-span, or a --tachometer");
    result.shaft = angle_of_ridge(ridges.front(), *ridge_order_);
    result.speed_from = fmt::format(
        "line from {} to {} of {}, taken as order {}", format_quantity(ridges.front().low_hz(), "Hz", 4),
        format_quantity(ridges.front().high_hz(), "Hz", 4), r.channels[0].name, format_number(*ridge_order_));
    result.facts.recording.cautions.push_back({"speed-from-ridge", Severity::note, r.channels[0].name,
                                               "the speed is read from a line of the spectrogram: phases "
                                               "have no fixed zero, and fast changes are smoothed",
                                               "record a tachometer for phases"});
  }

  static Spectrogram map_of(const std::vector<double>& x, double rate_hz) {
    SpectrogramSettings settings;
    settings.spectrum = spectrogram_cut({}, false, static_cast<std::int64_t>(x.size()));
    SpectrogramEstimator estimator(
        plan_spectrum(settings.spectrum, static_cast<std::int64_t>(x.size()), rate_hz), settings);
    Block block(1, x.size());
    std::copy(x.begin(), x.end(), block.room(0).begin());
    block.set(0, x.size());
    estimator.add(block);
    return std::move(estimator.result().front());
  }

  static LevelMap frequencies_over_speed(const std::vector<double>& x, double rate_hz,
                                         const ShaftAngle& shaft) {
    const LevelMap map = map_of(x, rate_hz).map;
    std::vector<double> speed;
    LevelMap part = map;
    std::size_t first = map.columns, last = 0;
    for (std::size_t c = 0; c < map.columns; ++c)
      if (map.time_s(c) >= shaft.start_s() && map.time_s(c) <= shaft.end_s())
        first = std::min(first, c), last = c;
    if (first > last) return map;
    part.resize(map.rows(), last - first + 1);
    part.frequency_hz = map.frequency_hz;
    for (std::size_t c = first; c <= last; ++c) {
      speed.push_back(shaft.speed(map.time_s(c)));
      for (std::size_t r = 0; r < map.rows(); ++r) part.at(r, c - first) = map.at(r, c);
    }
    return over_speed(part, speed, std::min<std::size_t>(400, part.columns));
  }

  OrderSettings settings_;
  std::string tachometer_, map_ = "hdf5";
  double pulses_ = 1;
  std::optional<double> level_, ridge_order_;
  std::optional<Range> ridge_span_;
};

}  // namespace

std::unique_ptr<Task> make_orders_task() { return std::make_unique<OrdersTask>(); }

}  // namespace vprism
