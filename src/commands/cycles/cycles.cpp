// cycles.cpp: the command `cycles`: the averaged cycle of a periodic signal and its Fourier series.
#include "identify/rotating/cycles.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "commands/shared/channel_groups.h"
#include "commands/shared/each_input.h"
#include "commands/shared/held.h"
#include "identify/rotating/cycle_phase.h"

namespace vprism {

namespace {

struct ChannelCycles {
  Channel channel;
  CycleAverage average;
  double period_std_s = 0;
  std::string edges_from;
  std::optional<std::size_t> needed;
};

struct CyclesResult {
  InputFacts facts;
  std::vector<ChannelCycles> channels;
};

class CyclesTask : public EachInputTask<CyclesResult> {
 public:
  CyclesTask() : EachInputTask("cycles") {}

  std::vector<OptionGroup> options() override {
    return {
        input_group(input_),
        {"Cycles",
         {quantity_option("period", "TIME", "length of a cycle (default: found)", Dimension::time, period_s_),
          quantity_option("frequency", "FREQUENCY", "the same as cycles per second", Dimension::frequency,
                          hz_),
          {"start", "TIME", "where the first cycle begins (default: the record's start)", false,
           [this](const std::string& t) { start_s_ = parse_quantity(t, Dimension::time); },
           [this] { return start_s_ ? Json(*start_s_) : Json(nullptr); }},
          switch_option("crossings", "begin each cycle where the channel rises through its middle",
                        crossings_),
          text_option("trigger", "CHANNEL", "begin each cycle where this channel rises through its middle",
                      trigger_),
          {"level", "LEVEL", "level of the crossings or the trigger, instead of the middle", false,
           [this](const std::string& t) { level_ = parse_any_quantity(t).value; },
           [this] { return level_ ? Json(*level_) : Json(nullptr); }},
          {"count", "N", "cycles to take, from the first on (default: all)", false,
           [this](const std::string& t) { count_ = static_cast<std::size_t>(parse_whole_number(t, 1)); },
           [this] { return count_ ? Json(*count_) : Json(nullptr); }},
          count_option("orders", "highest order of the series (default: 25)", 1, 10000, orders_),
          {"residual", "PERCENT",
           "say how many orders leave no more than this of the cycle's RMS (default: 1%)", false,
           [this](const std::string& t) {
             residual_ = parse_quantity(t, Dimension::ratio);
             if (!(residual_ > 0 && residual_ < 1))
               throw Error(Status::usage, "must lie between 0% and 100%");
           },
           [this] { return Json(residual_); }}}},
        output_group(output_)};
  }

 protected:
  std::vector<std::string> needed_channels() const override {
    return trigger_.empty() ? std::vector<std::string>() : std::vector{trigger_};
  }
  void check_settings() const override {
    if (period_s_ && hz_)
      throw Error(Status::usage, "--period and --frequency say the same thing; give one of them");
    if ((crossings_ || !trigger_.empty()) && (period_s_ || hz_ || start_s_))
      throw Error(Status::usage,
                  "--crossings and --trigger find the cycles themselves; leave out --period, --frequency "
                  "and --start");
    if (crossings_ && !trigger_.empty())
      throw Error(Status::usage, "give --crossings or --trigger, not both");
  }

  CyclesResult measure(Input& input, const Progress& progress) override {
    const Held held = hold_samples(input, progress);
    const Recording& r = held.recording;
    CyclesResult result;
    result.facts = held.facts;
    std::optional<std::size_t> trigger;
    CycleEdges triggered;
    if (!trigger_.empty()) {
      const std::vector<std::size_t> chosen = select_channels(r, {trigger_});
      if (chosen.size() != 1)
        throw Error(Status::usage, "--trigger " + clean_text(trigger_) + " names more than one channel");
      trigger = chosen.front();
      triggered = crossings_of(held.columns[*trigger]);
    }
    result.channels.resize(r.channels.size());
    std::vector<std::vector<Caution>> found(r.channels.size());
    for_each_channel(r, [&](std::size_t c) {
      ChannelCycles& channel = result.channels[c];
      channel.channel = r.channels[c];
      CycleEdges edges = trigger ? triggered : edges_of(held.columns[c], r, channel, found[c]);
      if (trigger) channel.edges_from = "triggered by " + r.channels[*trigger].name;
      if (count_ && edges.size() > *count_ + 1) edges.resize(*count_ + 1);
      channel.average = average_cycles(held.columns[c], edges, orders_);
      channel.needed = orders_needed(channel.average, residual_);
      warn(channel, found[c]);
    });
    for (std::vector<Caution>& cautions : found)
      for (Caution& caution : cautions) result.facts.recording.cautions.push_back(std::move(caution));
    return result;
  }

  void report(const CyclesResult& result, Delivery& delivery) override {
    const Recording& r = result.facts.recording;
    delivery.inputs.push_back(result.facts);
    delivery.cautions.insert(delivery.cautions.end(), r.cautions.begin(), r.cautions.end());
    delivery.text += clean_text(r.file) + "\n";
    for (const ChannelCycles& c : result.channels) {
      delivery.text += "\n" + text(c, r);
      delivery.results.push_back(json(c, r));
    }
    delivery.text += "\n";
  }

  void write(CyclesResult& result, const std::string& base, Outputs& folder) override {
    std::string orders = "channel,order,frequency (Hz),a,b,std,amplitude,phase (deg),unit\n",
                cycle = "channel,phase,average,scatter,series,unit\n";
    for (const ChannelCycles& c : result.channels) {
      const std::string name = csv_cell(c.channel.name), unit = csv_cell(c.channel.unit.text());
      const double hz = result.facts.recording.axis.rate_hz() / c.average.period_samples;
      for (const CycleOrder& o : c.average.orders)
        orders += fmt::format("{},{},{:.10g},{:.10g},{:.10g},{:.3g},{:.10g},{:.4f},{}\n", name, o.n, o.n * hz,
                              o.a, o.b, o.std, o.amplitude(), o.phase_deg(), unit);
      for (std::size_t p = 0; p < c.average.average.size(); ++p) {
        const double phase = static_cast<double>(p) / static_cast<double>(c.average.average.size());
        cycle += fmt::format("{},{:.8g},{:.8g},{:.4g},{:.8g},{}\n", name, phase, c.average.average[p],
                             c.average.spread[p], c.average.at(phase), unit);
      }
    }
    folder.add(base + "-orders.csv", orders, "coefficients of every order");
    folder.add(base + ".csv", cycle, "averaged cycle, its scatter and the sum of its orders");
    folder.add_figure(base, figure(result), "averaged cycle against the sum of its orders");
  }

 private:
  CycleEdges crossings_of(std::span<const double> x) const {
    const TriggerLevel usual = trigger_level(x);
    CycleEdges edges = rising_edges(x, level_.value_or(usual.level), usual.hysteresis);
    if (edges.size() < 2)
      throw Error(Status::analysis, "it rises through the level fewer than two times; give --level");
    return edges;
  }

  CycleEdges edges_of(std::span<const double> x, const Recording& r, ChannelCycles& channel,
                      std::vector<Caution>& cautions) const {
    if (crossings_) {
      channel.edges_from = "begun where it rises through its middle";
      return crossings_of(x);
    }
    Period period;
    if (period_s_ || hz_) {
      period.samples = (period_s_ ? *period_s_ : 1 / *hz_) * r.axis.rate_hz();
      if (!(period.samples >= 2))
        throw Error(Status::analysis,
                    r.file + ": a cycle of " + format_quantity(period.samples * r.axis.interval, "s", 4) +
                        " is shorter than two samples, " + format_quantity(2 * r.axis.interval, "s", 4));
      if (period.samples > static_cast<double>(x.size()))
        throw Error(Status::analysis, r.file + ": a cycle of " +
                                          format_quantity(period.samples * r.axis.interval, "s", 4) +
                                          " is longer than the record");
      channel.edges_from = "of the given length";
    } else {
      period = find_period(x);
      channel.edges_from = "of the length found";
      channel.period_std_s = period.std * r.axis.interval;
    }
    const double start = start_s_ ? (*start_s_ - r.axis.start) * r.axis.rate_hz() : 0;
    if (start < 0 || start >= static_cast<double>(x.size()))
      throw Error(Status::usage, "--start lies outside the record");
    const CyclePhase phase = follow_phase(x, period.samples);
    if (!phase.drifts) return edges_of_period(x.size(), period.samples, start);
    const std::string course = format_quantity(phase.shortest * r.axis.interval, "s", 4) + " to " +
                               format_quantity(phase.longest * r.axis.interval, "s", 4);
    if (period_s_ || hz_) {
      cautions.push_back({"period-drifts", Severity::warning, channel.channel.name,
                          "the cycle's length goes from " + course +
                              ": cycles of one length slip, and the averaged one is blurred",
                          "leave the length out, and cycles follow the phase"});
      return edges_of_period(x.size(), period.samples, start);
    }
    cautions.push_back({"period-drifts", Severity::note, channel.channel.name,
                        "the cycle's length goes from " + course + ": cycles follow the phase",
                        "see orders for a speed that changes"});
    channel.edges_from = "of a length that drifts, followed";
    channel.period_std_s = 0;
    return edges_of_phase(x.size(), period.samples, start, phase);
  }

  static void warn(const ChannelCycles& c, std::vector<Caution>& out) {
    if (c.average.cycles == 1)
      out.push_back({"one-cycle", Severity::note, c.channel.name,
                     "there is one whole cycle only: noise is not separated from orders",
                     "record more cycles"});
    if (c.average.jitter > 0.02)
      out.push_back(
          {"period-varies", Severity::warning, c.channel.name,
           fmt::format("the cycles' lengths scatter by {:.2g}%: each is stretched to the same phases",
                       100 * c.average.jitter),
           "see orders for a speed that changes"});
    if (c.average.scatter_rms > 0.5 * c.average.rms && c.average.cycles > 1)
      out.push_back(
          {"cycles-differ", Severity::warning, c.channel.name,
           fmt::format(
               "what differs from cycle to cycle is {:.0f}% of the signal: the period may be wrong, or "
               "most of it does not repeat",
               100 * c.average.scatter_rms / c.average.rms),
           "check the period, or give a --trigger"});
  }

  std::string text(const ChannelCycles& c, const Recording& r) const {
    const CycleAverage& a = c.average;
    const std::string unit = c.channel.unit.label();
    const double period = a.period_samples * r.axis.interval;
    std::string out = fmt::format(
        "{}: {} {} of {}, {} ({})\n", c.channel.name, a.cycles, a.cycles == 1 ? "cycle" : "cycles",
        format_uncertain(period, c.period_std_s, "s"), c.edges_from, format_quantity(1 / period, "Hz", 7));
    out +=
        fmt::format("  mean {}, RMS about it {}; {} orders leave {} ({:.3g}%), of which cycles scatter {}\n",
                    format_quantity(a.mean, unit, 5), format_quantity(a.rms, unit, 5), a.orders.size(),
                    format_quantity(a.residual_rms, unit, 4), 100 * a.residual_rms / std::max(a.rms, 1e-300),
                    format_quantity(a.scatter_rms, unit, 3));
    out += c.needed ? fmt::format("  {} {} leave no more than {:g}% of the averaged cycle\n", *c.needed,
                                  *c.needed == 1 ? "order" : "orders", 100 * residual_)
                    : fmt::format("  no number of orders that its samples allow leaves as little as {:g}%\n",
                                  100 * residual_);
    if (a.jumps > 0)
      out += fmt::format(
          "  {} {} in a cycle, the largest {}: near it the sum of orders goes {:.3g}% of it too far "
          "(Gibbs), and goes on to do so however many orders are added: only the place narrows\n",
          a.jumps, a.jumps == 1 ? "jump" : "jumps", format_quantity(a.jump_height, unit, 4),
          100 * a.overshoot);
    TextTable table(
        {{"order"}, {"frequency"}, {"a (cosine)"}, {"b (sine)"}, {"+-"}, {"amplitude"}, {"phase (deg)"}});
    std::size_t listed = 0;
    for (const CycleOrder& o : a.orders) {
      if (o.amplitude() < 3 * o.std || o.amplitude() < 1e-6 * a.rms || ++listed > 40) continue;
      table.add({std::to_string(o.n), format_quantity(o.n / period, "Hz", 7), format_quantity(o.a, unit, 6),
                 format_quantity(o.b, unit, 6), format_quantity(o.std, unit, 2),
                 format_quantity(o.amplitude(), unit, 6), fmt::format("{:.2f}", o.phase_deg())});
    }
    return out + table.text() + "  orders within three deviations of nothing are left out\n";
  }

  Json json(const ChannelCycles& c, const Recording& r) const {
    const CycleAverage& a = c.average;
    const double period = a.period_samples * r.axis.interval;
    Json harmonics = Json::array();
    for (const CycleOrder& o : a.orders)
      harmonics.push_back({{"n", o.n},
                           {"frequency_hz", number(o.n / period)},
                           {"a", number(o.a)},
                           {"b", number(o.b)},
                           {"std", number(o.std)},
                           {"amplitude", number(o.amplitude())},
                           {"phase_deg", number(o.phase_deg())}});
    Json residuals = Json::array();
    for (const double v : a.residual_by_orders) residuals.push_back(number(v));
    return {{"channel", c.channel.name},
            {"unit", c.channel.unit.label()},
            {"frequency_hz", number(1 / period)},
            {"period_s", number(period)},
            {"period_std_s", number(c.period_std_s)},
            {"cycles", a.cycles},
            {"length_scatter", number(a.jitter)},
            {"mean", number(a.mean)},
            {"rms", number(a.rms)},
            {"residual_rms", number(a.residual_rms)},
            {"scatter_rms", number(a.scatter_rms)},
            {"orders_needed", c.needed ? Json(*c.needed) : Json(nullptr)},
            {"jumps", a.jumps},
            {"jump_height", number(a.jump_height)},
            {"overshoot_percent", number(100 * a.overshoot)},
            {"harmonics", std::move(harmonics)},
            {"residual_by_orders", std::move(residuals)}};
  }

  static Figure figure(const CyclesResult& result) {
    const Recording& r = result.facts.recording;
    Figure figure;
    figure.title = r.stem() + ": cycles";
    for (const ChannelCycles& c : result.channels) {
      const CycleAverage& a = c.average;
      const double period = a.period_samples * r.axis.interval;
      figure.caption +=
          fmt::format("{}{}: {} cycles of {}, {} orders leave {:.3g}%", figure.caption.empty() ? "" : "; ",
                      c.channel.name, a.cycles, format_quantity(period, "s", 6), a.orders.size(),
                      100 * a.residual_rms / std::max(a.rms, 1e-300));
      Panel cycle;
      cycle.title = c.channel.name + ": averaged cycle and the sum of its orders";
      cycle.x = {"Time within the cycle", "s", false, 0, period};
      cycle.y = {c.channel.quantity.empty() ? "Value" : c.channel.quantity, c.channel.unit.label()};
      Curve band, average, series;
      band.shade = true, average.name = "averaged cycle", series.name = "sum of orders";
      average.colour = 0, series.colour = 1;
      for (std::size_t p = 0; p <= a.average.size(); ++p) {
        const std::size_t at = p % a.average.size();
        const double t = period * static_cast<double>(p) / static_cast<double>(a.average.size());
        band.x.push_back(t), band.y.push_back(a.average[at] - a.spread[at]),
            band.high.push_back(a.average[at] + a.spread[at]);
        average.x.push_back(t), average.y.push_back(a.average[at]);
      }
      for (int i = 0; i <= 2000; ++i) {
        series.x.push_back(period * i / 2000.0);
        series.y.push_back(a.at(i / 2000.0));
      }
      if (a.cycles > 1) cycle.curves.push_back(std::move(band));
      cycle.curves.push_back(thinned(std::move(average), 4000, false));
      cycle.curves.push_back(std::move(series));
      figure.panels.push_back(std::move(cycle));
      Panel orders;
      orders.title = c.channel.name + ": amplitude of each order";
      orders.x = {"Order", "", false, 0, static_cast<double>(a.orders.size()) + 1};
      orders.y = {"Amplitude (peak)", c.channel.unit.label()};
      orders.y.low = 0;
      Curve bars;
      for (const CycleOrder& o : a.orders) {
        bars.x.push_back(o.n - 0.3), bars.right.push_back(o.n + 0.3), bars.y.push_back(o.amplitude());
      }
      orders.curves.push_back(std::move(bars));
      figure.panels.push_back(std::move(orders));
      Panel rest;
      rest.title = c.channel.name + ": what is left of the averaged cycle";
      rest.x = {"Orders taken", "", false, 0,
                static_cast<double>(
                    std::min<std::size_t>(a.residual_by_orders.size() - 1, 2 * a.orders.size() + 2))};
      rest.y = {"Residual (RMS)", "%", true};
      Curve curve;
      for (std::size_t n = 0; n < a.residual_by_orders.size() && static_cast<double>(n) <= *rest.x.high;
           ++n) {
        curve.x.push_back(static_cast<double>(n));
        curve.y.push_back(
            100 * std::max(1e-6, a.residual_by_orders[n] / std::max(a.residual_by_orders[0], 1e-300)));
      }
      rest.curves.push_back(std::move(curve));
      figure.panels.push_back(std::move(rest));
    }
    return figure;
  }

  std::optional<double> period_s_, hz_, start_s_, level_;
  bool crossings_ = false;
  std::string trigger_;
  std::optional<std::size_t> count_;
  std::size_t orders_ = 25;
  double residual_ = 0.01;
};

}  // namespace

std::unique_ptr<Task> make_cycles_task() { return std::make_unique<CyclesTask>(); }

}  // namespace vprism
