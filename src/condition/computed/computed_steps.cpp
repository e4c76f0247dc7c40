// computed_steps.cpp: see computed_steps.h.
#include "condition/computed/computed_steps.h"

#include <algorithm>
#include <cctype>
#include <functional>

#include "base/error.h"
#include "base/text.h"
#include "condition/channel_choice.h"
#include "condition/column.h"

namespace vprism {

namespace {

/// Steps that leave rate and length as they are.
bool is_function(std::string_view name) {
  static const std::vector<std::string_view> others = {"gate", "decimate", "resample", "regrid"};
  if (std::find(others.begin(), others.end(), name) != others.end()) return false;
  return std::any_of(stage_table().begin(), stage_table().end(),
                     [&](const StageEntry& entry) { return name == entry.name; });
}

bool in_a_word(char c) {
  return std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '_' || c == '.' || (c & '\x80') != 0;
}

/// A channel on the way: an expression, or a step applied to another one.
struct Way {
  std::string name;
  std::string expression;  ///< With the calls in it replaced by names; of a step, what it is applied to.
  std::string step = {};   ///< "lowpass 2kHz"; "" for an expression.
};

class Rewriter {
 public:
  std::vector<Way> nodes;

  /// The text with every call replaced by the quoted name of its channel.
  std::string plain(const std::string& text, int depth = 0) {
    if (depth > 20) throw Error(Status::usage, "\"" + clean_text(text, 60) + "\": nested too deep");
    std::string out;
    for (std::size_t i = 0; i < text.size();) {
      const char c = text[i];
      if (c == '"' || c == '\'') {
        const std::size_t end = std::min(text.find(c, i + 1), text.size() - 1);
        out += text.substr(i, end + 1 - i);
        i = end + 1;
        continue;
      }
      if (!in_a_word(c)) {
        out += c, ++i;
        continue;
      }
      std::size_t end = i;
      while (end < text.size() && in_a_word(text[end])) ++end;
      std::size_t open = end;
      while (open < text.size() && text[open] == ' ') ++open;
      const std::string word = text.substr(i, end - i);
      if (open >= text.size() || text[open] != '(' || !is_function(word)) {
        out += word, i = end;
        continue;
      }
      std::vector<std::string> arguments;
      const std::size_t close = take_arguments(text, open, arguments);
      out += "\"" + call(word, arguments, depth) + "\"";
      i = close + 1;
    }
    return out;
  }

 private:
  /// What stands between the parentheses, parted at commas; where they close.
  static std::size_t take_arguments(const std::string& text, std::size_t open,
                                    std::vector<std::string>& arguments) {
    int level = 0;
    char quote = 0;
    std::string now;
    for (std::size_t i = open; i < text.size(); ++i) {
      const char c = text[i];
      if (quote != 0) {
        if (c == quote) quote = 0;
      } else if (c == '"' || c == '\'') {
        quote = c;
      } else if (c == '(' && ++level == 1) {
        continue;
      } else if (c == ')' && --level == 0) {
        arguments.emplace_back(trimmed(now));
        return i;
      } else if (c == ',' && level == 1) {
        arguments.emplace_back(trimmed(now));
        now.clear();
        continue;
      }
      now += c;
    }
    throw Error(Status::usage, "\"" + clean_text(text, 80) + "\": a parenthesis without its end");
  }

  std::string call(const std::string& function, const std::vector<std::string>& arguments, int depth) {
    if (arguments.front().empty())
      throw Error(Status::usage, function + "() needs a channel, or an expression, first");
    std::string name = function + "(" + arguments.front();
    std::string step = function;
    for (std::size_t i = 1; i < arguments.size(); ++i) {
      // bandpass(x, 10 Hz, 1 kHz) is bandpass 10Hz..1kHz.
      const bool range =
          i == 2 && function.rfind("band", 0) == 0 && arguments[1].find("..") == std::string::npos;
      step += (range ? ".." : " ") + arguments[i];
      name += ", " + arguments[i];
    }
    name += ")";
    std::erase_if(name, [](char c) { return c == '"' || c == '\''; });
    if (std::any_of(nodes.begin(), nodes.end(), [&](const Way& node) { return node.name == name; }))
      return name;
    const std::string of = plain(arguments.front(), depth + 1);
    (void)parse_chain(step);  // What is wrong with it is said now.
    std::string source = name.substr(0, name.size() - 1) + " <)";
    nodes.push_back({source, of});
    nodes.push_back({name, source, step});
    return name;
  }
};

/// One channel through a step; what comes out is appended.
class Applied : public Stage {
 public:
  Applied(const Way& node, std::unique_ptr<Stage> step)
      : name_(node.name), source_(node.expression), step_(std::move(step)) {}

  void start(Recording& passing) override {
    require_even_time(passing, name_.c_str());
    column_ = passing.channels.size();
    for (std::size_t c = 0; c < passing.channels.size(); ++c)
      if (passing.channels[c].name == source_) column_ = c;
    Recording one = passing;
    one.channels = {passing.channels.at(column_)};
    // Messages name the channel as it was written.
    one.channels[0].name = name_;
    one.cautions.clear();
    step_->start(one);
    Channel made = one.channels.at(0);
    made.name = name_;
    passing.channels.push_back(made);
    outlet_.start(passing);
    one_ = Block(1, 1);
  }
  bool surveys() const override { return step_->surveys(); }
  void survey(const Block& block) override { step_->survey(taken(block)); }

  void push(Block& block, const Sink& next) override {
    for (std::size_t c = 0; c + 1 < outlet_.columns(); ++c) {
      const auto x = block.samples(c);
      outlet_.column(c).insert(outlet_.column(c).end(), x.begin(), x.end());
    }
    if (block.gaps()) outlet_.set_gaps();
    step_->push(taken(block), collect());
    outlet_.flush(next);
  }
  void finish(const Sink& next) override {
    step_->finish(collect());
    outlet_.flush(next);
  }
  StageReport report() const override {
    StageReport out = step_->report();
    out.name = "compute: " + out.name;
    return out;
  }

 private:
  Block& taken(const Block& block) {
    if (one_.capacity() < block.size()) one_ = Block(1, std::max(block.capacity(), block.size()));
    const std::vector<std::size_t> which = {column_};
    one_.take_channels(block, which);
    return one_;
  }
  Sink collect() {
    return [this](Block& made) {
      const auto x = made.samples(0);
      if (made.gaps()) outlet_.set_gaps();
      std::vector<double>& column = outlet_.column(outlet_.columns() - 1);
      column.insert(column.end(), x.begin(), x.end());
    };
  }

  std::string name_, source_;
  std::unique_ptr<Stage> step_;
  std::size_t column_ = 0;
  Block one_;
  Outlet outlet_;
};

/// Names that an expression calls, as far as they stand in `among`.
std::vector<std::size_t> mentioned(const std::string& text, const std::vector<Way>& among) {
  std::vector<std::size_t> out;
  const auto take = [&](std::string_view name) {
    for (std::size_t i = 0; i < among.size(); ++i)
      if (among[i].name == name) out.push_back(i);
  };
  for (std::size_t i = 0; i < text.size();) {
    if (text[i] == '"' || text[i] == '\'') {
      const std::size_t end = std::min(text.find(text[i], i + 1), text.size());
      take(std::string_view(text).substr(i + 1, end - i - 1));
      i = end + 1;
    } else if (in_a_word(text[i])) {
      std::size_t end = i;
      while (end < text.size() && in_a_word(text[end])) ++end;
      take(std::string_view(text).substr(i, end - i));
      i = end;
    } else {
      ++i;
    }
  }
  return out;
}

/// Each node behind those that it needs.
std::vector<std::size_t> in_order(const std::vector<Way>& nodes) {
  std::vector<std::size_t> order;
  std::vector<int> state(nodes.size());  // 1: being looked at, 2: placed.
  const std::function<void(std::size_t)> place = [&](std::size_t i) {
    if (state[i] == 2) return;
    if (state[i] == 1)
      throw Error(Status::usage, "--compute " + clean_text(nodes[i].name) +
                                     ": it needs itself, by way of \"" + clean_text(nodes[i].expression, 60) +
                                     "\"");
    state[i] = 1;
    const std::vector<std::size_t> needs = nodes[i].step.empty()
                                               ? mentioned(nodes[i].expression, nodes)
                                               : mentioned("\"" + nodes[i].expression + "\"", nodes);
    for (const std::size_t need : needs) place(need);
    state[i] = 2;
    order.push_back(i);
  };
  for (std::size_t i = 0; i < nodes.size(); ++i) place(i);
  return order;
}

}  // namespace

Chain make_compute_stages(std::vector<ComputeRule> rules, std::vector<std::string> channels) {
  Rewriter rewriter;
  std::vector<Way> nodes;
  for (const ComputeRule& rule : rules) {
    try {
      nodes.push_back({rule.name, rewriter.plain(rule.expression)});
    } catch (const Error& error) {
      throw Error(error.status(), "--compute " + clean_text(rule.name) + ": " + error.what());
    }
  }
  Chain out;
  if (rewriter.nodes.empty()) {
    out.push_back(make_compute_stage(std::move(rules), std::move(channels)));
    return out;
  }
  std::vector<std::string> shown, hidden;
  for (const Way& node : nodes) shown.push_back(node.name);
  for (const Way& node : rewriter.nodes) {
    hidden.push_back(node.name);
    if (std::find(shown.begin(), shown.end(), node.name) != shown.end())
      throw Error(Status::usage, "--compute: \"" + clean_text(node.name) + "\" is a call; give another name");
  }
  nodes.insert(nodes.end(), rewriter.nodes.begin(), rewriter.nodes.end());
  std::vector<ComputeRule> together;
  const auto flush = [&] {
    if (!together.empty()) out.push_back(make_compute_stage(std::move(together), {}));
    together.clear();
  };
  for (const std::size_t i : in_order(nodes)) {
    const Way& node = nodes[i];
    if (node.step.empty()) {
      const auto rule =
          std::find_if(rules.begin(), rules.end(), [&](const ComputeRule& r) { return r.name == node.name; });
      together.push_back({node.name, rule == rules.end() ? "" : rule->unit, node.expression});
      continue;
    }
    flush();
    Chain step = parse_chain(node.step);
    out.push_back(std::make_unique<Applied>(node, std::move(step.at(0))));
  }
  flush();
  out.push_back(make_choice_stage(std::move(shown), std::move(hidden), std::move(channels)));
  return out;
}

}  // namespace vprism
