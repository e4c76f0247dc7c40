// chain.cpp: the table of stages and the parser of `step [values] | step [values] ...`.
#include "condition/chain.h"

#include <sstream>

#include "base/error.h"
#include "base/text.h"

namespace vprism {

namespace {

using Values = std::vector<std::string>;

void expect_count(const Values& values, std::size_t least, std::size_t most, const char* example) {
  if (values.size() < least)
    throw Error(Status::usage, std::string("a value is missing; write for example \"") + example + "\"");
  if (values.size() > most)
    throw Error(Status::usage,
                "\"" + clean_text(values[most]) + "\" is too much; write for example \"" + example + "\"");
}

double plain_number(const std::string& text) {
  std::string_view rest;
  const double value = parse_leading_number(text, rest);
  if (!rest.empty())
    throw Error(Status::usage, "\"" + clean_text(text) + "\" must be a plain number, in the channel's unit");
  return value;
}

std::unique_ptr<Stage> make_detrend(const Values& values) {
  expect_count(values, 1, 1, "detrend linear");
  const Values known = {"constant", "linear"};
  if (values[0] == known[0]) return make_detrend_stage(0);
  if (values[0] == known[1]) return make_detrend_stage(1);
  throw Error(Status::usage, unknown_name("trend", values[0], known));
}

}  // namespace

const std::vector<StageEntry>& stage_table() {
  static const std::vector<StageEntry> table = {
      {"detrend", "constant|linear", "remove the mean or the least-squares line", make_detrend},
      {"gate", "T1..T2", "keep the samples from T1 up to T2",
       [](const Values& v) {
         expect_count(v, 1, 1, "gate 0.2s..1.5s");
         return make_gate_stage(parse_range(v[0], Dimension::time));
       }},
      {"scale", "K", "multiply by K",
       [](const Values& v) {
         expect_count(v, 1, 1, "scale 2.5");
         return make_linear_map_stage("scale", plain_number(v[0]), 0);
       }},
      {"offset", "X", "add X, in the channel's unit",
       [](const Values& v) {
         expect_count(v, 1, 1, "offset -0.5");
         return make_linear_map_stage("offset", 1, plain_number(v[0]));
       }},
      {"invert", "", "change the sign",
       [](const Values& v) {
         expect_count(v, 0, 0, "invert");
         return make_linear_map_stage("invert", -1, 0);
       }},
  };
  return table;
}

Chain parse_chain(std::string_view text) {
  Chain chain;
  if (trimmed(text).empty())
    throw Error(Status::usage, "the chain is empty; write for example \"detrend linear | gate 0.2s..1.5s\"");
  for (const std::string& step : split(text, '|')) {
    std::istringstream words(step);
    std::string name, word;
    Values values;
    words >> name;
    while (words >> word) {
      // "0.2 s" and "0.2s" are both one value: a unit standing alone belongs to the number before it.
      const bool unit = !values.empty() && std::isalpha(static_cast<unsigned char>(word[0])) &&
                        !values.back().empty() &&
                        std::isdigit(static_cast<unsigned char>(values.back().back()));
      if (unit)
        values.back() += word;
      else
        values.push_back(word);
    }
    if (name.empty()) throw Error(Status::usage, "the chain \"" + clean_text(text) + "\" has an empty step");
    const StageEntry* found = nullptr;
    std::vector<std::string> known;
    for (const StageEntry& entry : stage_table()) {
      known.emplace_back(entry.name);
      if (name == entry.name) found = &entry;
    }
    if (found == nullptr) throw Error(Status::usage, unknown_name("step", name, known));
    try {
      chain.push_back(found->make(values));
    } catch (const Error& error) {
      throw Error(error.status(), "step \"" + clean_text(trimmed(step)) + "\": " + error.what());
    }
  }
  return chain;
}

}  // namespace vprism
