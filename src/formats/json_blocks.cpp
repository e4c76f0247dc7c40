// json_blocks.cpp: see json_blocks.h.
#include "formats/json_blocks.h"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "base/text.h"
#include "formats/axis_words.h"
#include "formats/clock.h"

namespace vprism {

namespace {

using Json = nlohmann::ordered_json;

constexpr std::size_t least_block = 8;

bool is_block(const Json& value) {
  return value.is_array() && value.size() >= least_block &&
         std::all_of(value.begin(), value.end(), [](const Json& x) { return x.is_number() || x.is_null(); });
}

bool is_one_of(const std::string& key, std::initializer_list<const char*> words) {
  const std::string low = lower_case(key);
  return std::any_of(words.begin(), words.end(), [&](const char* word) { return low == word; });
}

/// What a member says in all objects.
struct Member {
  std::string key;
  bool same = true;
  std::vector<double> numbers;  ///< Seconds for texts that are instants; empty where it is neither.
};

std::optional<double> number_of(const Json& value) {
  if (value.is_number()) return value.get<double>();
  if (!value.is_string()) return {};
  const auto at = parse_date_time(value.get_ref<const std::string&>());
  return at ? std::optional(static_cast<double>(*at) / 1e9) : std::nullopt;
}

bool rises(const std::vector<double>& numbers) {
  return std::adjacent_find(numbers.begin(), numbers.end(), std::greater_equal<>()) == numbers.end();
}

/// Numbers that rise in each block and begin anew in the next: an axis, of frequencies or of the time since a
/// trigger.
bool begins_anew_in_each(const Json& blocks, const std::string& key) {
  for (std::size_t k = 0; k < blocks.size(); ++k) {
    std::vector<double> numbers;
    for (const Json& x : blocks[k][key]) numbers.push_back(x.is_number() ? x.get<double>() : std::nan(""));
    if (!rises(numbers) || std::isnan(numbers.front())) return false;
    if (k > 0 && blocks[k - 1][key].back().is_number() &&
        numbers.front() > blocks[k - 1][key].back().get<double>())
      return false;
  }
  return true;
}

/// Seconds of a count of time by its key and size.
double seconds_in(const std::string& key, double first, double step) {
  if (const auto unit = unit_since_1970(first, step)) return static_cast<double>(*unit) / 1e9;
  const std::string low = lower_case(key);
  for (const auto& [tail, seconds] : {std::pair{"_ms", 1e-3}, {"_us", 1e-6}, {"_ns", 1e-9}})
    if (low.ends_with(tail)) return seconds;
  return 1;
}

}  // namespace

std::optional<JsonBlocks> join_blocks(Json& document, bool in_lines) {
  if (!document.is_array() || document.size() < 2) return {};
  const Json& first = document[0];
  if (!first.is_object()) return {};
  std::vector<std::string> arrays;
  std::vector<Member> members;
  for (const auto& [key, value] : first.items()) {
    if (is_block(value))
      arrays.push_back(key);
    else if (value.is_primitive())
      members.push_back({key, true, {}});
    else
      return {};
  }
  if (arrays.empty()) return {};
  std::vector<std::size_t> ends;  // Samples up to the end of each block.
  for (const Json& one : document) {
    if (!one.is_object() || one.size() != first.size()) return {};
    const auto lead = one.find(arrays.front());
    if (lead == one.end()) return {};
    for (const std::string& key : arrays) {
      const auto found = one.find(key);
      if (found == one.end() || !found->is_array() || found->size() != lead->size() ||
          !std::all_of(found->begin(), found->end(),
                       [](const Json& x) { return x.is_number() || x.is_null(); }))
        return {};
    }
    for (Member& member : members) {
      const auto found = one.find(member.key);
      if (found == one.end() || !found->is_primitive()) return {};
      member.same = member.same && *found == first[member.key];
      if (const auto number = number_of(*found)) member.numbers.push_back(*number);
    }
    ends.push_back((ends.empty() ? 0 : ends.back()) + lead->size());
  }
  if (std::any_of(arrays.begin(), arrays.end(),
                  [&](const std::string& key) { return begins_anew_in_each(document, key); }))
    return {};
  const Member* times = nullptr;
  bool counted = in_lines, says_rate = false;
  for (const Member& member : members) {
    const AxisWord word = axis_word(member.key, AxisUnit::none);
    if (member.same) {
      says_rate = says_rate || word == AxisWord::rate || word == AxisWord::interval;
      continue;
    }
    // What differs and does not go on is a channel's.
    if (member.numbers.size() != document.size() || !rises(member.numbers)) return {};
    if (times == nullptr &&
        is_one_of(member.key,
                  {"t", "time", "ts", "timestamp", "t0", "start", "t_s", "t_ms", "t_us", "time_s", "time_ms",
                   "time_us", "start_time", "utc", "ts_ms", "ts_us", "epoch", "datetime", "timestamp_ms"}))
      times = &member;
    else if (is_one_of(member.key, {"seq", "sequence", "block", "packet", "frame", "chunk", "counter"}))
      counted = true;
  }
  if (times == nullptr && !counted) return {};
  JsonBlocks out;
  out.cautions.push_back({"blocks-joined", Severity::note, "",
                          std::to_string(document.size()) + " blocks of samples follow each other: joined",
                          ""});
  Json joined = Json::object();
  for (const Member& member : members)
    if (member.same) joined[member.key] = first[member.key];
  if (times != nullptr) {
    const double step = times->numbers[1] - times->numbers[0];
    const double unit_s = first[times->key].is_string() ? 1 : seconds_in(times->key, times->numbers[0], step);
    const double span_s = (times->numbers.back() - times->numbers.front()) * unit_s;
    double interval = span_s / static_cast<double>(ends[ends.size() - 2]);
    for (const Member& member : members) {
      const AxisWord word = axis_word(member.key, AxisUnit::none);
      if (!member.same || member.numbers.empty() || !(member.numbers[0] > 0)) continue;
      if (word == AxisWord::rate) interval = 1 / member.numbers[0];
    }
    std::size_t apart = 0;
    for (std::size_t k = 1; k < ends.size(); ++k)
      if (std::abs((times->numbers[k] - times->numbers[k - 1]) * unit_s / interval -
                   static_cast<double>(ends[k - 1] - (k > 1 ? ends[k - 2] : 0))) > 0.6)
        ++apart;
    // Mostly apart: each is a capture of its own.
    if (2 * apart > ends.size() - 1) return {};
    if (!says_rate) out.cautions.back().text += "; the rate is what their times make it";
    if (apart > 0)
      out.cautions.push_back(
          {"blocks-apart", Severity::warning, "",
           "the times \"" + clean_text(times->key, 40) + "\" of " + std::to_string(apart) + " of " +
               std::to_string(ends.size() - 1) +
               " blocks are not where the samples before them end: samples are missing, or "
               "the rate is another; they are joined without gaps",
           "check the rate; analyse pieces without gaps with --gate"});
    if (!says_rate) joined["dt"] = interval;
  }
  for (const std::string& key : arrays) {
    Json all = Json::array();
    for (Json& one : document)
      for (Json& x : one[key]) all.push_back(std::move(x));
    joined[key] = std::move(all);
  }
  document = std::move(joined);
  return out;
}

bool is_blocks_in_lines(std::string_view text) {
  const std::size_t end = text.find('\n');
  if (end == std::string_view::npos || text.find('{', end) == std::string_view::npos) return false;
  const Json first = Json::parse(text.substr(0, end), nullptr, false);
  return first.is_object() && std::any_of(first.begin(), first.end(), is_block);
}

Json json_of_lines(std::string_view text) {
  Json out = Json::array();
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t end = std::min(text.find('\n', at), text.size());
    const std::string_view line = trimmed(text.substr(at, end - at));
    at = end + 1;
    if (line.empty()) continue;
    // No deeper than a block's arrays: nothing recurses far.
    Json one = Json::parse(
        line, [](int depth, Json::parse_event_t, Json&) { return depth <= 8; }, false);
    if (one.is_discarded() || !one.is_object()) return Json(Json::value_t::discarded);
    out.push_back(std::move(one));
  }
  return out;
}

}  // namespace vprism
