// computed.cpp: see computed.h.
#include "condition/computed/computed.h"

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "condition/computed/expression.h"

namespace vprism {

namespace {

/// Units that results are written in, where they fit without a factor.
Unit pleasant(const Unit& plain, const std::vector<Unit>& among) {
  for (const Unit& unit : among)
    if (plain.converts_to(unit) && !plain.dimensionless()) return unit;
  for (const char* name : {"1", "W",  "V",  "A",   "ohm",   "J", "N",   "Pa", "C",  "F", "H",
                           "T", "Wb", "Hz", "m/s", "m/s^2", "m", "m^2", "s",  "kg", "K"}) {
    const Unit unit = Unit::parse(name);
    if (plain.converts_to(unit) && plain.convert(1, unit) == 1) return unit;
  }
  return plain;
}

class Computed : public Stage {
 public:
  Computed(std::vector<ComputeRule> rules, std::vector<std::string> channels)
      : rules_(std::move(rules)), chosen_names_(std::move(channels)) {}

  bool needs_axis() const override { return false; }

  void start(Recording& passing) override {
    if (passing.complex)
      throw Error(Status::usage, passing.file + ": --compute takes real channels, and its are complex");
    incoming_ = passing.channels.size();
    made_.clear();
    std::vector<std::string> names;
    for (const Channel& channel : passing.channels) names.push_back(channel.name);
    for (const ComputeRule& rule : rules_) {
      if (std::find(names.begin(), names.end(), rule.name) != names.end())
        throw Error(Status::usage, "--compute: there is a channel \"" + clean_text(rule.name) +
                                       "\" already; give another name");
      names.push_back(rule.name);
    }
    std::vector<Expression> expressions;
    for (const ComputeRule& rule : rules_) {
      try {
        expressions.emplace_back(rule.expression, names);
      } catch (const Error& error) {
        throw Error(Status::usage, "--compute " + clean_text(rule.name) + ": " + error.what());
      }
    }
    std::vector<Unit> units(names.size());
    for (std::size_t c = 0; c < incoming_; ++c) units[c] = passing.channels[c].unit;
    passing.channels.resize(names.size());
    for (const std::size_t r : in_order(expressions)) add(r, std::move(expressions[r]), units, passing);
    chosen_.clear();
    if (chosen_names_.empty())
      for (std::size_t c = 0; c < names.size(); ++c) chosen_.push_back(c);
    else
      chosen_ = select_channels(passing, chosen_names_);
    std::vector<Channel> kept;
    for (const std::size_t c : chosen_) kept.push_back(passing.channels[c]);
    passing.channels = std::move(kept);
    report_ = {"compute", {}, {}};
    for (const ComputeRule& rule : rules_) report_.values.emplace_back(rule.name, rule.expression);
  }

  void push(Block& block, const Sink& next) override {
    const std::size_t count = block.size();
    if (all_.size() != made_.size()) all_.resize(made_.size());
    std::vector<const double*> from(incoming_ + made_.size());
    for (std::size_t c = 0; c < incoming_; ++c) from[c] = block.samples(c).data();
    for (std::size_t m = 0; m < made_.size(); ++m) from[made_[m].column] = nullptr;
    bool gaps = block.gaps();
    for (std::size_t m = 0; m < made_.size(); ++m) {
      all_[m].resize(count);
      gaps = compute(made_[m], from, all_[m]) || gaps;
      from[made_[m].column] = all_[m].data();
    }
    if (out_.capacity() < count || out_.channels() != chosen_.size() || out_.stamped() != block.stamped())
      out_ = Block(chosen_.size(), std::max(count, block.capacity()), block.stamped(), false);
    for (std::size_t i = 0; i < chosen_.size(); ++i)
      std::copy_n(from[chosen_[i]], count, out_.room(i).begin());
    if (block.stamped()) std::copy_n(block.stamps().begin(), count, out_.stamp_room().begin());
    out_.set(block.first(), count);
    out_.set_gaps(gaps);
    next(out_);
  }

  StageReport report() const override { return report_; }

 private:
  struct Made {
    std::size_t column;  ///< Among incoming and computed ones.
    Expression expression;
    std::vector<UnitPowers> inputs;
    UnitPowers result;
  };

  /// Each rule behind those that it needs.
  std::vector<std::size_t> in_order(const std::vector<Expression>& expressions) const {
    std::vector<std::size_t> order;
    std::vector<int> state(expressions.size());  // 1: being looked at, 2: placed.
    const std::function<void(std::size_t)> place = [&](std::size_t r) {
      if (state[r] == 2) return;
      if (state[r] == 1)
        throw Error(Status::usage, "--compute " + clean_text(rules_[r].name) +
                                       ": it needs itself, by way of \"" +
                                       clean_text(rules_[r].expression, 60) + "\"");
      state[r] = 1;
      for (const std::size_t name : expressions[r].needs())
        if (name >= incoming_) place(name - incoming_);
      state[r] = 2;
      order.push_back(r);
    };
    for (std::size_t r = 0; r < expressions.size(); ++r) place(r);
    return order;
  }

  void add(std::size_t r, Expression expression, std::vector<Unit>& units, Recording& passing) {
    const ComputeRule& rule = rules_[r];
    const std::string where = "--compute " + clean_text(rule.name) + ": ";
    std::vector<Unit> needed;
    for (const std::size_t name : expression.needs()) needed.push_back(units[name]);
    try {
      const Unit plain = expression.unit_of(needed);
      Unit unit = rule.unit.empty() ? pleasant(plain, needed) : Unit::parse(rule.unit);
      if (!unit.converts_to(plain) || !unit.powers())
        throw Error(Status::usage,
                    "it comes out in " + pleasant(plain, needed).label() + ", which is no " + unit.label());
      Made made{incoming_ + r, std::move(expression), {}, *unit.powers()};
      for (const Unit& each : needed) made.inputs.push_back(*each.powers());
      Channel channel;
      channel.name = rule.name, channel.unit = unit, channel.quantity = quantity_of(unit);
      units[made.column] = unit;
      passing.channels[made.column] = channel;
      made_.push_back(std::move(made));
    } catch (const Error& error) {
      throw Error(error.status(), where + error.what());
    }
  }

  /// Whether any result is no number.
  bool compute(Made& made, const std::vector<const double*>& from, std::vector<double>& out) {
    const auto& needs = made.expression.needs();
    if (si_.size() < needs.size()) si_.resize(needs.size());
    std::vector<const double*> inputs;
    for (std::size_t i = 0; i < needs.size(); ++i) {
      const UnitPowers& unit = made.inputs[i];
      const double* const x = from[needs[i]];
      if (unit.factor == 1 && unit.offset == 0) {
        inputs.push_back(x);
        continue;
      }
      si_[i].resize(out.size());
      for (std::size_t n = 0; n < out.size(); ++n) si_[i][n] = unit.factor * x[n] + unit.offset;
      inputs.push_back(si_[i].data());
    }
    made.expression.evaluate(inputs, out);
    bool gaps = false;
    for (std::size_t n = 0; n < out.size(); ++n) {
      // What is missing in makes it missing, comparisons too.
      bool missing = !std::isfinite(out[n]);
      for (const double* const x : inputs) missing = missing || std::isnan(x[n]);
      if (missing) gaps = true;
      out[n] = missing ? std::nan("") : (out[n] - made.result.offset) / made.result.factor;
    }
    return gaps;
  }

  std::vector<ComputeRule> rules_;
  std::vector<std::string> chosen_names_;
  std::size_t incoming_ = 0;
  std::vector<Made> made_;  ///< In the order in which they can be computed.
  std::vector<std::size_t> chosen_;
  std::vector<std::vector<double>> all_, si_;
  Block out_;
  StageReport report_;
};

}  // namespace

ComputeRule parse_compute_rule(std::string_view text) {
  const std::size_t equals = text.find('=');
  if (equals == std::string_view::npos || (equals + 1 < text.size() && text[equals + 1] == '='))
    throw Error(Status::usage,
                "\"" + clean_text(text, 60) + "\" has no \"=\"; write 'power (W) = \"phase U\" * current'");
  ComputeRule rule;
  std::string_view head = trimmed(text.substr(0, equals));
  if (!head.empty() && head.back() == ')') {
    const std::size_t open = head.rfind('(');
    if (open != std::string_view::npos && open > 0) {
      rule.unit = std::string(trimmed(head.substr(open + 1, head.size() - open - 2)));
      (void)Unit::parse(rule.unit);
      head = trimmed(head.substr(0, open));
    }
  }
  if (head.size() >= 2 && (head.front() == '"' || head.front() == '\'') && head.back() == head.front())
    head = head.substr(1, head.size() - 2);
  if (head.empty() || head.front() == '(')
    throw Error(Status::usage, "a computed channel needs a name before \"=\"");
  rule.name = clean_text(head);
  rule.expression = std::string(trimmed(text.substr(equals + 1)));
  if (rule.expression.empty()) throw Error(Status::usage, "an expression is missing behind \"=\"");
  return rule;
}

std::unique_ptr<Stage> make_compute_stage(std::vector<ComputeRule> rules, std::vector<std::string> channels) {
  return std::make_unique<Computed>(std::move(rules), std::move(channels));
}

}  // namespace vprism
