// json_blocks.cpp: see json_blocks.h.
#include "formats/json/json_blocks.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <nlohmann/json.hpp>
#include <utility>

#include "base/text.h"
#include "formats/documents/key_meaning.h"
#include "formats/json/json_settings.h"
#include "formats/json/json_shapes.h"
#include "formats/text/clock/clock.h"

namespace vprism {

namespace {

using Document = nlohmann::ordered_json;

constexpr std::size_t least_block = 8;

bool holds_numbers_only(const Document& value) {
  return value.is_array() && std::all_of(value.begin(), value.end(),
                                         [](const Document& x) { return x.is_number() || x.is_null(); });
}

bool is_block(const Document& value) { return holds_numbers_only(value) && value.size() >= least_block; }

/// What a member that is no array says in all objects.
struct Member {
  std::string key;
  bool same = true;
  std::vector<double>
      numbers;  ///< Seconds for texts that are instants; fewer than objects where one is neither.
  std::int64_t since_ns = 0;  ///< What the seconds of instants are counted from.
  double since_s() const { return static_cast<double>(since_ns) / 1e9; }
};

void add_number(const Document& value, Member& member) {
  if (value.is_number()) member.numbers.push_back(value.get<double>());
  if (!value.is_string()) return;
  const auto at = parse_date_time(value.get_ref<const std::string&>());
  if (!at) return;
  if (member.numbers.empty()) member.since_ns = *at;
  member.numbers.push_back(static_cast<double>(*at - member.since_ns) / 1e9);
}

/// Numbers that rise in each block and begin anew in the next: an axis, of frequencies or of the time since a
/// trigger.
bool begins_anew_in_each(const Document& blocks, const std::string& key) {
  double before = 0;
  for (std::size_t k = 0; k < blocks.size(); ++k) {
    std::vector<double> numbers;
    for (const Document& x : blocks[k][key])
      numbers.push_back(x.is_number() ? x.get<double>() : std::nan(""));
    if (!json_rises(numbers) || (k > 0 && numbers.front() > before)) return false;
    before = numbers.back();
  }
  return true;
}

/// Whether so many arrays hold as many numbers each.
bool is_table(const Document& value) {
  return value.is_array() && value.size() > 1 &&
         std::all_of(value.begin(), value.end(), [&](const Document& row) {
           return holds_numbers_only(row) && row.size() == value[0].size();
         });
}

/// An object's own members: those of objects within are lifted out of them, under their own names where these
/// are free, and arrays of rows, or of channels, become an array for each channel.
Document lifted(const Document& object, int depth = 0) {
  constexpr int deepest = 4;
  constexpr std::size_t most_channels_of_one = 64;
  Document out = Document::object();
  for (const auto& [key, value] : object.items()) {
    if (value.is_object() && depth < deepest) {
      const Document inner = lifted(value, depth + 1);
      for (const auto& [name, within] : inner.items())
        out[object.contains(name) || out.contains(name) ? key + "." + name : name] = within;
    } else if (is_table(value) && !value[0].empty()) {
      const std::size_t rows = value.size(), columns = value[0].size();
      const bool in_rows = rows >= least_block && columns < rows && columns <= most_channels_of_one;
      const bool in_channels = columns >= least_block && rows <= most_channels_of_one;
      if (!in_rows && !in_channels) {
        out[key] = value;
        continue;
      }
      for (std::size_t c = 0; c < (in_rows ? columns : rows); ++c) {
        Document& channel = out[key + " " + std::to_string(c + 1)] = Document::array();
        if (!in_rows) channel = value[c];
        for (std::size_t r = 0; r < rows && in_rows; ++r) channel.push_back(value[r][c]);
      }
    } else {
      out[key] = value;
    }
  }
  return out;
}

/// The objects' arrays and other members, and how many samples there are up to the end of each.
struct Shape {
  std::vector<std::string> arrays;
  std::vector<Member> members;
  std::vector<std::size_t> ends;
};

std::optional<Shape> shape_of(const Document& document) {
  if (!document.is_array() || document.size() < 2 || !document[0].is_object()) return {};
  const Document& first = document[0];
  Shape out;
  for (const auto& [key, value] : first.items()) {
    if (is_block(value))
      out.arrays.push_back(key);
    else if (value.is_primitive())
      out.members.push_back({key, true, {}});
    else
      return {};
  }
  if (out.arrays.empty()) return {};
  for (const Document& one : document) {
    if (!one.is_object() || one.size() != first.size()) return {};
    std::optional<std::size_t> length;
    for (const std::string& key : out.arrays) {
      const auto found = one.find(key);
      if (found == one.end() || !holds_numbers_only(*found) ||
          found->size() != length.value_or(found->size()))
        return {};
      length = found->size();
    }
    for (Member& member : out.members) {
      const auto found = one.find(member.key);
      if (found == one.end() || !found->is_primitive()) return {};
      member.same = member.same && *found == first[member.key];
      add_number(*found, member);
    }
    out.ends.push_back((out.ends.empty() ? 0 : out.ends.back()) + *length);
  }
  if (std::any_of(out.arrays.begin(), out.arrays.end(),
                  [&](const std::string& key) { return begins_anew_in_each(document, key); }))
    return {};
  return out;
}

/// A member whose texts, few and each in several objects, say whose block each is: of sensors that send by
/// turns.
const Member* whose_blocks(const Document& blocks, const Shape& shape) {
  constexpr std::size_t most = 64;
  const Member* out = nullptr;
  for (const Member& member : shape.members) {
    if (member.same || !member.numbers.empty()) continue;
    std::map<std::string, std::size_t> counts;
    std::size_t changes = 0;
    for (std::size_t k = 0; k < blocks.size(); ++k) {
      const Document& own = blocks[k][member.key];
      if (!own.is_string()) return nullptr;
      ++counts[own.get<std::string>()];
      changes += k > 0 && own != blocks[k - 1][member.key] ? 1 : 0;
    }
    // What else differs is no name, or one too many; a state lasts for a while.
    if (out != nullptr || counts.size() > most || 3 * changes < blocks.size() ||
        std::any_of(counts.begin(), counts.end(), [](const auto& each) { return each.second < 2; }))
      return nullptr;
    out = &member;
  }
  return out;
}

/// Seconds of a count of time by its key and size.
double seconds_in(const std::string& key, double first, double step) {
  if (const auto unit = unit_since_1970(first, step)) return static_cast<double>(*unit) / 1e9;
  const std::string unit = time_unit_of_key(key);
  return unit.empty() ? 1 : Unit::parse(unit).convert(1, Unit::parse("s"));
}

/// The interval that the members say that are the same in all objects, or those beside the list; 0 for none.
double stated_interval(const Shape& shape, const Document& first, const Document& beside) {
  JsonBeside said;
  std::vector<std::string> unapplied;
  for (const auto& [key, value] : beside.items())
    if (value.is_primitive()) take_json_setting(key, value, said, unapplied);
  for (const Member& member : shape.members)
    if (member.same) take_json_setting(member.key, first[member.key], said, unapplied);
  return said.interval_s;
}

/// When a block was, or began: "ts", "t0", "start".
bool is_time_of_block(const std::string& key) {
  double factor = 1;
  return is_time_key(key) || meaning_of_key(key, factor) == KeyMeaning::start;
}

/// When the first of some blocks began, in seconds of their own clock.
std::optional<double> start_of(const Document& blocks) {
  const std::optional<Shape> shape = shape_of(blocks);
  if (!shape) return {};
  for (const Member& member : shape->members) {
    if (member.same || member.numbers.size() != blocks.size() || !json_rises(member.numbers) ||
        !is_time_of_block(member.key))
      continue;
    const double begun = member.numbers.front();
    return blocks[0][member.key].is_string()
               ? member.since_s() + begun
               : begun * seconds_in(member.key, begun, member.numbers[1] - begun);
  }
  return {};
}

/// Its arrays called after it.
Document named_by(const std::string& name, Document one, const std::vector<std::string>& arrays) {
  Document out = Document::object();
  for (auto& [key, value] : one.items()) {
    const bool array = std::find(arrays.begin(), arrays.end(), key) != arrays.end();
    out[!array ? key : arrays.size() == 1 ? name : name + " " + key] = std::move(value);
  }
  return out;
}

bool counts_blocks(const std::string& key) {
  static constexpr std::string_view words[] = {"seq",   "sequence", "block",  "packet",
                                               "frame", "chunk",    "counter"};
  return std::find(std::begin(words), std::end(words), lower_case(key)) != std::end(words);
}

}  // namespace

std::optional<std::vector<Caution>> join_blocks(Document& document, const Document& beside, bool in_lines) {
  std::optional<Shape> shape = shape_of(document);
  if (!shape) {
    // The arrays may stand in objects within.
    Document flat = Document::array();
    if (document.is_array() && document.size() > 1 && document[0].is_object())
      for (const Document& one : document) flat.push_back(one.is_object() ? lifted(one) : one);
    shape = shape_of(flat);
    if (!shape) return {};
    Document given = std::exchange(document, std::move(flat));
    auto joined = join_blocks(document, beside, in_lines);
    if (!joined) document = std::move(given);
    return joined;
  }
  if (const Member* const whose = whose_blocks(document, *shape)) {
    Document apart = Document::object(), joined = Document::object();
    for (const Document& one : document) {
      Document& own = apart[one[whose->key].get<std::string>()];
      own.push_back(one);
      own.back().erase(whose->key);
    }
    std::vector<Caution> out;
    std::map<std::string, double> starts;
    for (auto& [name, own] : apart.items()) {
      if (const auto start = start_of(own)) starts[name] = *start;
      const auto cautions = join_blocks(own, beside, in_lines);
      if (!cautions) return {};
      joined[name] = named_by(name, std::move(own), shape->arrays);
      for (const Caution& caution : *cautions)
        if (caution.code != "blocks-joined")
          out.push_back(caution), out.back().text = name + ": " + caution.text;
    }
    // Those that began at other times do not lie side by side.
    double earliest = std::numeric_limits<double>::infinity();
    for (const auto& [name, start] : starts) earliest = std::min(earliest, start);
    for (const auto& [name, start] : starts)
      if (starts.size() == joined.size()) joined[name]["t0"] = start - earliest;
    out.insert(out.begin(),
               {"blocks-joined", Severity::note, "",
                std::to_string(document.size()) + " blocks of samples of " + std::to_string(joined.size()) +
                    " \"" + clean_text(whose->key, 40) + "\" follow each other by turns: joined for each",
                ""});
    document = std::move(joined);
    return out;
  }
  const Document& first = document[0];
  const std::vector<std::size_t>& ends = shape->ends;
  const Member* times = nullptr;
  bool counted = in_lines;
  std::string others;
  for (const Member& member : shape->members) {
    if (member.same) continue;
    // Texts that differ are names, of channels.
    if (member.numbers.size() != document.size()) return {};
    if (times == nullptr && json_rises(member.numbers) && is_time_of_block(member.key))
      times = &member;
    else if (json_rises(member.numbers) && counts_blocks(member.key))
      counted = true;
    else
      others += (others.empty() ? "\"" : ", \"") + clean_text(member.key, 40) + "\"";
  }
  // Without a time, whatever else differs may be a channel's.
  if (times == nullptr && (!counted || !others.empty())) return {};
  std::vector<Caution> out = {
      {"blocks-joined", Severity::note, "",
       std::to_string(document.size()) + " blocks of samples follow each other: joined", ""}};
  Document joined = Document::object();
  for (const Member& member : shape->members)
    if (member.same) joined[member.key] = first[member.key];
  if (times != nullptr) {
    const double begun = times->numbers.front(), step = times->numbers[1] - begun;
    const double unit_s = first[times->key].is_string() ? 1 : seconds_in(times->key, begun, step);
    const double span_s = (times->numbers.back() - begun) * unit_s;
    const double stated = stated_interval(*shape, first, beside);
    const double interval = stated > 0 ? stated : span_s / static_cast<double>(ends[ends.size() - 2]);
    std::size_t apart = 0;
    for (std::size_t k = 1; k < ends.size(); ++k)
      if (std::abs((times->numbers[k] - times->numbers[k - 1]) * unit_s / interval -
                   static_cast<double>(ends[k - 1] - (k > 1 ? ends[k - 2] : 0))) > 0.6)
        ++apart;
    // Mostly apart: each is a capture of its own.
    if (2 * apart > ends.size() - 1) return {};
    if (!(stated > 0)) joined["dt"] = interval, out[0].text += "; the rate is what their times make it";
    constexpr double year_2000_s = 9.46e8;
    if (times->since_s() + begun * unit_s < year_2000_s)
      joined["t0"] = times->since_s() + begun * unit_s;
    else if (const auto ns = instant_after(times->since_ns, begun * unit_s))
      out[0].text += "; the first began at " + utc_text(*ns);
    if (apart > 0)
      out.push_back(
          {"blocks-apart", Severity::warning, "",
           "the times \"" + clean_text(times->key, 40) + "\" of " + std::to_string(apart) + " of " +
               std::to_string(ends.size() - 1) +
               " blocks are not where the samples before them end: samples are missing, or the rate is "
               "another; they are joined without gaps",
           "check the rate; analyse pieces without gaps with --gate"});
  }
  if (!others.empty())
    out.push_back({"member-left-out", Severity::note, "",
                   "of each block, " + others + " is left out: numbers for a whole block", ""});
  for (const std::string& key : shape->arrays) {
    Document all = Document::array();
    for (Document& one : document)
      for (Document& x : one[key]) all.push_back(std::move(x));
    joined[key] = std::move(all);
  }
  document = std::move(joined);
  return out;
}

bool is_blocks_in_lines(std::string_view text) {
  const std::size_t end = text.find('\n');
  if (end == std::string_view::npos || text.find('{', end) == std::string_view::npos) return false;
  Document first = Document::parse(text.substr(0, end), nullptr, false);
  if (first.is_object()) first = lifted(first);
  return first.is_object() && std::any_of(first.begin(), first.end(), is_block);
}

Document json_of_lines(std::string_view text) {
  Document out = Document::array();
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t end = std::min(text.find('\n', at), text.size());
    const std::string_view line = trimmed(text.substr(at, end - at));
    at = end + 1;
    if (line.empty()) continue;
    // No deeper than a block's arrays: nothing recurses far.
    Document one = Document::parse(
        line, [](int depth, Document::parse_event_t, Document&) { return depth <= 8; }, false);
    if (one.is_discarded() || !one.is_object()) return Document(Document::value_t::discarded);
    out.push_back(lifted(one));
  }
  return out;
}

}  // namespace vprism
