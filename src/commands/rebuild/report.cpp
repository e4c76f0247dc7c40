// report.cpp: what was rebuilt as text, document, CSV and figure.
#include "commands/rebuild/rebuild.h"

namespace vprism {

void RebuildTask::report(const RebuildResult& result, Delivery& delivery) {
  const Recording& r = result.facts.recording;
  delivery.inputs.push_back(result.facts);
  delivery.cautions.insert(delivery.cautions.end(), r.cautions.begin(), r.cautions.end());
  delivery.text += clean_text(r.file) + "\n  rebuilt: " + clean_text(result.how) + "\n";
  for (const ChannelRebuilt& c : result.channels) {
    const std::string unit = c.channel.unit.label();
    delivery.text += "\n" + c.channel.name + ": " + share_text(c) + "\n";
    if (!c.components.empty()) delivery.text += table(c).text();
    Json beside = Json::array();
    if (!side_by_side_.empty()) delivery.text += "\n" + counts_table(c, beside).text();
    Json components = Json::array(), steps = Json::array();
    for (const Component& part : c.components) {
      components.push_back({{"frequency_hz", number(part.hz)},
                            {"amplitude", number(part.amplitude)},
                            {"phase_deg", number(part.phase_deg)}});
      if (!part.what.empty()) components.back()["what"] = part.what;
    }
    for (const RebuildStep& step : c.rebuilt.steps)
      steps.push_back({{"components", step.components},
                       {"residual_rms", number(step.residual_rms)},
                       {"explained_percent", number(100 * step.explained)}});
    delivery.results.push_back({{"channel", c.channel.name},
                                {"unit", unit},
                                {"mean", number(c.rebuilt.mean)},
                                {"rms", number(c.rebuilt.rms)},
                                {"residual_rms", number(c.rebuilt.residual_rms)},
                                {"explained_percent", number(100 * c.rebuilt.explained)},
                                {"components", std::move(components)},
                                {"steps", std::move(steps)}});
    if (!side_by_side_.empty()) delivery.results.back()["side_by_side"] = std::move(beside);
  }
  delivery.text += "\n";
}

void RebuildTask::write(RebuildResult& result, const std::string& base, Outputs& folder) {
  Recording out = result.facts.recording;
  out.channels.clear();
  out.parts.clear();
  Columns columns;
  std::list<std::vector<double>> beside;
  for (const ChannelRebuilt& c : result.channels) {
    Channel rebuilt = c.channel, rest = c.channel;
    rebuilt.name += " rebuilt", rest.name += " left over";
    out.channels.push_back(rebuilt), out.channels.push_back(rest);
    columns.push_back(c.rebuilt.samples), columns.push_back(c.rebuilt.residual);
    for (const std::size_t count : side_by_side_) {
      Channel some = c.channel;
      some.name += " rebuilt of " + std::to_string(count);
      out.channels.push_back(some);
      columns.push_back(beside.emplace_back(first_of(c, count, out.axis.rate_hz())));
    }
  }
  out.samples = static_cast<std::int64_t>(columns[0].size());
  out.axis.stamped = false;
  write_recording(out, columns, folder, base, find_write_format(to_.empty() ? "hdf5" : to_), {});
  folder.add_figure(
      base, [&] { return figure(result); }, "original, rebuilt and left over");
}

std::string RebuildTask::how(double rate_hz) const {
  if (!spectrum_.empty()) return "the inverse of " + spectrum_;
  if (band_)
    return "all from " + format_quantity(band_->low.value_or(0), "Hz") + " to " +
           format_quantity(std::min(band_->high.value_or(rate_hz), rate_hz / 2), "Hz");
  if (!without_.empty()) return "everything but " + joined(without_);
  return hz_.empty() ? "the strongest lines" : "lines at the frequencies given";
}

std::string RebuildTask::share_text(const ChannelRebuilt& c) const {
  const std::string unit = c.channel.unit.label();
  const auto level = [&](double rms) { return format_quantity(rms, unit, 5) + " RMS"; };
  if (without_.empty())
    return fmt::format("{} about its mean, {} left over, explained {:.4g}%", level(c.rebuilt.rms),
                       level(c.rebuilt.residual_rms), 100 * c.rebuilt.explained);
  const double square = c.rebuilt.rms * c.rebuilt.rms - c.rebuilt.residual_rms * c.rebuilt.residual_rms;
  return fmt::format("{} about its mean, {} left out, {} without that", level(c.rebuilt.rms),
                     level(c.rebuilt.residual_rms), level(std::sqrt(std::max(0.0, square))));
}

void RebuildTask::report_match(const TurnedBack& back, const ChannelRebuilt& c, const Recording& r,
                               std::vector<Caution>& cautions) const {
  const auto add = [&](const char* code, Severity severity, std::string text, std::string remedy) {
    cautions.push_back({code, severity, c.channel.name, std::move(text), std::move(remedy)});
  };
  if (back.shift > 0)
    add("phases-elsewhere", Severity::note,
        "the phases of " + spectrum_ + " count from another place than the record's start: turned by " +
            format_quantity(static_cast<double>(back.shift) * r.axis.interval, "s", 6),
        "save it with --phase-at and the record's start");
  if (!back.window.empty())
    add("window-divided", Severity::warning,
        spectrum_ + " was made with the window " + back.window +
            ": divided by it, and nothing where it is under 1%",
        "save it with --window rectangular");
  if (c.rebuilt.explained < 0.9)
    add("spectrum-of-another", Severity::warning,
        fmt::format("{} explains {:.3g}% of this record: it is of another one, of a part, or of averages",
                    spectrum_, 100 * std::max(0.0, c.rebuilt.explained)),
        fmt::format("save it with --window rectangular --segment {} --phase-at and the record's start",
                    r.samples));
}

std::string RebuildTask::joined(const std::vector<std::string>& names) {
  std::string out;
  for (const std::string& part : names) out += (out.empty() ? "" : ", ") + part;
  return out;
}

TextTable RebuildTask::table(const ChannelRebuilt& c) const {
  const bool left_out = !without_.empty();
  TextTable out({{left_out ? "left out" : "component"},
                 {"frequency"},
                 {"amplitude (peak)"},
                 {"phase (deg)"},
                 {left_out ? "" : "left over (RMS)"},
                 {left_out ? "" : "explained"},
                 {"", TextTable::Align::left}});
  for (std::size_t i = 0; i < c.components.size(); ++i) {
    const Component& part = c.components[i];
    const std::string unit = c.channel.unit.label();
    out.add({std::to_string(i + 1), format_quantity(part.hz, "Hz", 8),
             format_quantity(part.amplitude, unit, 5), fmt::format("{:.1f}", part.phase_deg),
             left_out ? "" : format_quantity(c.rebuilt.steps[i + 1].residual_rms, unit, 4),
             left_out ? "" : fmt::format("{:.4g}%", 100 * c.rebuilt.steps[i + 1].explained), part.what});
  }
  return out;
}

TextTable RebuildTask::counts_table(const ChannelRebuilt& c, Json& document) const {
  TextTable out({{"components"}, {"left over (RMS)"}, {"explained"}});
  for (const std::size_t count : side_by_side_) {
    const RebuildStep& step = c.rebuilt.steps[std::min(count, c.rebuilt.steps.size() - 1)];
    out.add({std::to_string(step.components) +
                 (step.components < count ? " (of " + std::to_string(count) + ")" : std::string()),
             format_quantity(step.residual_rms, c.channel.unit.label(), 4),
             fmt::format("{:.4g}%", 100 * step.explained)});
    document.push_back({{"asked", count},
                        {"components", step.components},
                        {"residual_rms", number(step.residual_rms)},
                        {"explained_percent", number(100 * step.explained)}});
  }
  return out;
}

std::vector<double> RebuildTask::first_of(const ChannelRebuilt& c, std::size_t count, double rate_hz) {
  std::vector<Component> some = c.components;
  some.resize(std::min(count, some.size()));
  return rebuild(c.original, rate_hz, some).samples;
}

Curve RebuildTask::trace(const std::vector<double>& x, std::size_t from, std::size_t count,
                         const Axis& axis) {
  Curve curve;
  for (std::size_t n = from; n < from + count; ++n) {
    curve.x.push_back(axis.start + static_cast<double>(n) * axis.interval);
    curve.y.push_back(x[n]);
  }
  return thinned(std::move(curve), 4000, false);
}

Figure RebuildTask::figure(const RebuildResult& result) const {
  const Axis& axis = result.facts.recording.axis;
  Figure figure;
  figure.title = result.facts.recording.stem() + ": rebuilt";
  figure.caption = clean_text(result.how) + "; the first panel of each channel shows a part of the record";
  for (const ChannelRebuilt& c : result.channels) {
    if (figure.panels.size() >= most_panels_drawn) {
      figure.beyond = 2 * result.channels.size() - figure.panels.size();
      break;
    }
    const std::size_t count = c.original.size();
    // Some periods of the strongest component around the middle, else a fiftieth of the record.
    const double period =
        c.components.empty() ? static_cast<double>(count) / 200 : axis.rate_hz() / c.components[0].hz;
    const auto shown = std::min(count, static_cast<std::size_t>(std::max(64.0, 12 * period)));
    const std::size_t from = (count - shown) / 2;
    Panel panel;
    panel.title = c.channel.name + ": " + share_text(c);
    panel.x = {"Time", "s"};
    panel.y = {c.channel.quantity.empty() ? "Value" : c.channel.quantity, c.channel.unit.label()};
    const std::pair<const char*, const std::vector<double>*> curves[] = {
        {"original", &c.original},
        {"rebuilt", &c.rebuilt.samples},
        {without_.empty() ? "left over" : "left out", &c.rebuilt.residual}};
    static constexpr int shades[] = {neutral_colour, 0, 1};
    for (int i = 0; i < (side_by_side_.empty() ? 3 : 1); ++i) {
      Curve curve = trace(*curves[i].second, from, shown, axis);
      curve.name = curves[i].first, curve.colour = shades[i];
      panel.curves.push_back(std::move(curve));
    }
    for (std::size_t i = 0; i < side_by_side_.size(); ++i) {
      Curve curve = trace(first_of(c, side_by_side_[i], axis.rate_hz()), from, shown, axis);
      curve.name = std::to_string(side_by_side_[i]) + " components", curve.colour = static_cast<int>(i);
      panel.curves.push_back(std::move(curve));
    }
    figure.panels.push_back(panel);
    if (c.rebuilt.steps.size() > 2) {
      Panel steps;
      steps.title = c.channel.name + ": what so many components leave";
      steps.x = {"Components", "", false, 0, static_cast<double>(c.rebuilt.steps.size()) - 1};
      steps.y = {"Left over (RMS)", c.channel.unit.label(), true};
      Curve curve;
      for (const RebuildStep& step : c.rebuilt.steps) {
        curve.x.push_back(static_cast<double>(step.components));
        curve.y.push_back(step.residual_rms);
      }
      steps.curves.push_back(std::move(curve));
      figure.panels.push_back(std::move(steps));
    } else {
      Panel whole = panel;
      whole.title = c.channel.name + ": the whole record";
      whole.curves.clear();
      for (int i = 0; i < 2; ++i) {
        Curve curve = trace(*curves[i].second, 0, count, axis);
        curve.name = curves[i].first, curve.colour = shades[i];
        whole.curves.push_back(std::move(curve));
      }
      figure.panels.push_back(std::move(whole));
    }
  }
  return figure;
}

}  // namespace vprism
