// complex_pairs.cpp: see complex_pairs.h.
#include "formats/text/cells/complex_pairs.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

#include "base/error.h"
#include "base/text.h"

namespace vprism {

namespace {

using Kind = TitlePart::Kind;

struct PartWord {
  const char* word;
  Kind kind;
};
constexpr PartWord part_words[] = {{"real", Kind::real},
                                   {"re", Kind::real},
                                   {"imaginary", Kind::imaginary},
                                   {"imag", Kind::imaginary},
                                   {"im", Kind::imaginary},
                                   {"log mag", Kind::magnitude},
                                   {"logmag", Kind::magnitude},
                                   {"lin mag", Kind::magnitude},
                                   {"magnitude", Kind::magnitude},
                                   {"mag", Kind::magnitude},
                                   {"modulus", Kind::magnitude},
                                   {"abs", Kind::magnitude},
                                   {"amplitude", Kind::magnitude},
                                   {"amp", Kind::magnitude},
                                   {"gain", Kind::magnitude},
                                   {"phase", Kind::phase},
                                   {"arg", Kind::phase},
                                   {"angle", Kind::phase},
                                   {"ang", Kind::phase}};

bool is_separator(char c) { return c == ' ' || c == '_' || c == '.' || c == '-' || c == ':'; }

/// The base of a title that has a word before it, behind it or around it; nothing where it has not.
std::optional<std::string> base_beside(const std::string& name, const std::string& lower,
                                       const std::string& word) {
  if (lower == word) return std::string();
  if (lower.size() < word.size() + 2) return std::nullopt;
  const auto inner = [&](std::size_t from, std::size_t count) {
    return std::string(trimmed(std::string_view(name).substr(from, count)));
  };
  const char after = lower[word.size()], before = lower[lower.size() - word.size() - 1];
  if (lower.compare(0, word.size(), word) == 0) {
    if (after == '(' && lower.back() == ')') return inner(word.size() + 1, name.size() - word.size() - 2);
    if (is_separator(after)) return inner(word.size() + 1, std::string::npos);
  }
  if (lower.compare(lower.size() - word.size(), word.size(), word) == 0 && is_separator(before))
    return inner(0, name.size() - word.size() - 1);
  return std::nullopt;
}

bool is_decibel(const Unit& unit) { return lower_case(unit.text()) == "db"; }

bool is_angle(const Unit& unit) {
  return unit.text() == "deg" || unit.text() == "rad" || unit.text() == "\u00B0" || unit.text() == "degree";
}

class ComplexColumns : public SampleSource {
 public:
  ComplexColumns(std::unique_ptr<SampleSource> source, std::vector<ComplexPair> pairs,
                 std::vector<std::size_t> left_out, bool written)
      : source_(std::move(source)),
        pairs_(std::move(pairs)),
        left_out_(std::move(left_out)),
        written_(written) {
    take_over();
  }
  const Recording& recording() const override { return recording_; }
  bool carries_stamps() const override { return source_->carries_stamps(); }
  void rewind() override { source_->rewind(); }
  void resolve() override {
    source_->resolve();
    take_over();
  }
  std::size_t read(Block& block) override {
    if (parts_.capacity() != block.capacity())
      parts_ = Block(source_->recording().channels.size(), block.capacity(), block.stamped(), false);
    const std::size_t count = source_->read(parts_);
    for (std::size_t i = 0; i < pairs_.size(); ++i) {
      const ComplexPair& pair = pairs_[i];
      const auto first = parts_.samples(pair.first), second = parts_.samples(pair.second);
      const auto re = block.room(i), im = block.room(pairs_.size() + i);
      for (std::size_t n = 0; n < count; ++n) {
        if (!pair.polar) {
          re[n] = first[n], im[n] = pair.negative ? -second[n] : second[n];
          continue;
        }
        const double size = decibels_[i] ? std::pow(10, first[n] / 20) : first[n];
        const double angle = second[n] * turn_[i];
        re[n] = size * std::cos(angle), im[n] = size * std::sin(angle);
      }
    }
    if (block.stamped()) std::copy_n(parts_.stamps().begin(), count, block.stamp_room().begin());
    block.set(parts_.first(), count);
    block.set_gaps(parts_.gaps());
    if (count == 0) take_over();  // The end may have given the source its length and axis.
    return count;
  }

 private:
  void take_over() {
    recording_ = source_->recording();
    const std::vector<Channel> parts = recording_.channels;
    recording_.channels.clear(), recording_.complex = true;
    decibels_.clear(), turn_.clear();
    std::string names;
    for (const ComplexPair& pair : pairs_) {
      Channel channel = parts[pair.first];
      decibels_.push_back(pair.polar && (pair.decibels || is_decibel(channel.unit)));
      if (decibels_.back()) channel.unit = Unit::parse("1"), channel.quantity = "";
      turn_.push_back(lower_case(parts[pair.second].unit.text()) == "rad" ? 1 : std::numbers::pi / 180);
      channel.name = pair.name;
      if (recording_.channels.size() < 3)
        names += (names.empty() ? "\"" : "; \"") + parts[pair.first].name + "\" and \"" +
                 parts[pair.second].name + "\"";
      recording_.channels.push_back(std::move(channel));
    }
    if (!left_out_.empty()) {
      std::vector<std::string> beside;
      for (const std::size_t c : left_out_) beside.push_back(parts[c].name);
      recording_.cautions.push_back({"column-left-out", Severity::note, "",
                                     "beside complex channels " + quoted_names(beside, 6) +
                                         (beside.size() == 1 ? " is" : " are") + " left out",
                                     "--complex off takes every column as it stands"});
    }
    if (written_) return;
    const bool polar = pairs_.front().polar;
    const bool unsaid = std::any_of(pairs_.begin(), pairs_.end(), [&](const ComplexPair& pair) {
      return pair.polar && parts[pair.second].unit.text() == "1";
    });
    recording_.cautions.push_back(
        {"columns-joined", Severity::note, "",
         names + (pairs_.size() > 3 ? "; ..." : "") + ": taken as " +
             (polar ? "magnitude and phase" : "real and imaginary part") + " of one complex channel" +
             (pairs_.size() > 1 ? " each" : "") +
             (std::any_of(pairs_.begin(), pairs_.end(), [](const ComplexPair& pair) { return pair.negative; })
                  ? ", the minus in the title turned back"
                  : "") +
             (unsaid ? "; a phase without a unit is taken in degrees" : ""),
         "--complex off keeps them apart"});
  }

  std::unique_ptr<SampleSource> source_;
  std::vector<ComplexPair> pairs_;
  std::vector<std::size_t> left_out_;
  bool written_;
  std::vector<bool> decibels_;
  std::vector<double> turn_;
  Recording recording_;
  Block parts_;
};

}  // namespace

TitlePart part_of_title(const std::string& name) {
  if (name.size() > 3 && name.front() == '-') {
    TitlePart part = part_of_title(name.substr(1));
    if (part.kind != Kind::imaginary || part.negative) return {};
    part.negative = true;
    return part;
  }
  const std::string lower = lower_case(name);
  if (lower.size() > 2 && lower.front() == '|' && lower.back() == '|')
    return {Kind::magnitude, name.substr(1, name.size() - 2)};
  // "Zreal", "Zphz": the letter of a response right before the word.
  static constexpr PartWord behind_letter[] = {
      {"real", Kind::real},     {"re", Kind::real},       {"imag", Kind::imaginary}, {"im", Kind::imaginary},
      {"mod", Kind::magnitude}, {"mag", Kind::magnitude}, {"abs", Kind::magnitude},  {"phase", Kind::phase},
      {"phz", Kind::phase},     {"arg", Kind::phase}};
  if (lower.size() > 2 && std::string_view("ghyz").find(lower[0]) != std::string_view::npos)
    for (const PartWord& entry : behind_letter)
      if (lower.compare(1, std::string::npos, entry.word) == 0) return {entry.kind, name.substr(0, 1)};
  for (const PartWord& entry : part_words)
    if (const auto base = base_beside(name, lower, entry.word)) return {entry.kind, *base};
  return {};
}

namespace {

/// "db(v(out))", "ph(v(out))", "vdb(2)", "vp(2)", "vr(2)": as circuit simulators print what an analysis over
/// frequencies gave.
TitlePart printed_part(const std::string& name) {
  const std::size_t open = name.find('(');
  if (open == std::string::npos || open == 0 || name.back() != ')') return {};
  const std::string lower = lower_case(name.substr(0, open)),
                    inside = name.substr(open + 1, name.size() - open - 2);
  TitlePart out;
  if (lower == "db" || lower == "vdb") out.kind = Kind::magnitude, out.decibels = true;
  if (lower == "ph" || lower == "cph") out.kind = Kind::phase;
  if (out.kind != Kind::none && lower[0] != 'v') {
    out.base = inside;
    return out;
  }
  static constexpr PartWord behind[] = {{"db", Kind::magnitude},
                                        {"m", Kind::magnitude},
                                        {"p", Kind::phase},
                                        {"r", Kind::real},
                                        {"i", Kind::imaginary}};
  if (lower.size() < 2 || (lower[0] != 'v' && lower[0] != 'i')) return {};
  for (const PartWord& entry : behind)
    if (lower.compare(1, std::string::npos, entry.word) == 0)
      return {entry.kind, name.substr(0, 1) + "(" + inside + ")", false, lower.size() == 3};
  return {};
}

/// By its title, or by its unit where the title is that of both.
TitlePart part_of(const std::vector<Channel>& channels, std::size_t c, bool over_frequencies) {
  const Channel& channel = channels[c];
  TitlePart part = part_of_title(channel.name);
  if (part.kind != Kind::none) return part;
  if (over_frequencies)
    if (TitlePart printed = printed_part(channel.name); printed.kind != Kind::none) return printed;
  part.base = channel.name;
  // The second of one name was numbered.
  if (part.base.size() > 4 && part.base.ends_with(" (2)")) part.base.resize(part.base.size() - 4);
  if (is_decibel(channel.unit)) part.kind = Kind::magnitude;
  if (is_angle(channel.unit)) part.kind = Kind::phase;
  const bool named = std::any_of(channels.begin(), channels.end(), [&](const Channel& other) {
    const TitlePart of = part_of_title(other.name);
    return of.kind == Kind::phase && of.base == channel.name;
  });
  if (part.kind == Kind::none && over_frequencies && named) part.kind = Kind::magnitude;
  return part;
}

}  // namespace

namespace {

bool is_coherence(const Channel& channel) {
  const std::string name = lower_case(channel.name);
  return name.find("coherence") != std::string::npos || name == "coh" || name.find("gamma2") == 0;
}

/// Magnitudes and phases of what stands there with both its parts.
void leave_out_polar_copies(std::vector<ComplexPair>& pairs, std::vector<std::size_t>& left_out) {
  std::erase_if(pairs, [&](const ComplexPair& pair) {
    const bool twice = pair.polar && std::any_of(pairs.begin(), pairs.end(), [&](const ComplexPair& other) {
                         return !other.polar && other.name == pair.name;
                       });
    if (twice) left_out.push_back(pair.first), left_out.push_back(pair.second);
    return twice;
  });
}

}  // namespace

std::vector<ComplexPair> complex_pairs(const std::vector<Channel>& channels, bool as_they_stand,
                                       bool over_frequencies, std::vector<std::size_t>& left_out) {
  std::vector<ComplexPair> out;
  const auto coherences =
      static_cast<std::size_t>(std::count_if(channels.begin(), channels.end(), is_coherence));
  if (channels.size() < 2 || (channels.size() - (over_frequencies ? coherences : 0)) % 2 != 0) return out;
  if (as_they_stand) {
    for (std::size_t c = 0; c < channels.size(); c += 2) {
      const TitlePart part = part_of_title(channels[c].name);
      out.push_back({c, c + 1, part.kind == Kind::magnitude,
                     part.kind != Kind::none && !part.base.empty() ? part.base : channels[c].name,
                     part_of_title(channels[c + 1].name).negative, false});
    }
    return out;
  }
  // In the order of whichever part comes first.
  const auto other_kind = [](Kind kind) {
    return kind == Kind::real        ? Kind::imaginary
           : kind == Kind::imaginary ? Kind::real
           : kind == Kind::magnitude ? Kind::phase
                                     : Kind::magnitude;
  };
  std::vector<bool> taken(channels.size(), false);
  for (std::size_t c = 0; c < channels.size(); ++c) {
    if (taken[c]) continue;
    if (over_frequencies && !as_they_stand && is_coherence(channels[c])) {
      left_out.push_back(c);
      continue;
    }
    const TitlePart part = part_of(channels, c, over_frequencies);
    if (part.kind == Kind::none) return {};
    std::size_t other = channels.size();
    for (std::size_t d = c + 1; d < channels.size() && other == channels.size(); ++d) {
      const TitlePart second = part_of(channels, d, over_frequencies);
      // "|Z|" beside "phase", which need not say what it is of.
      const bool stroke = channels.size() == 2 && channels[c].name.starts_with('|') && second.base.empty();
      const bool alike = second.base == part.base || stroke;
      if (!taken[d] && alike && second.kind == other_kind(part.kind)) other = d;
    }
    if (other == channels.size()) return {};
    const bool polar = part.kind == Kind::magnitude || part.kind == Kind::phase;
    // Decibels over something else than the unit's own ratio are no magnitude that phases could turn.
    for (const std::size_t k : {c, other}) {
      const std::string unit = lower_case(channels[k].unit.text());
      if (polar && unit.rfind("db", 0) == 0 && unit != "db") return {};
    }
    if (!polar && channels[c].unit.text() != channels[other].unit.text()) return {};
    taken[c] = taken[other] = true;
    const bool leads = part.kind == Kind::real || part.kind == Kind::magnitude;
    const bool negative = part.negative || part_of(channels, other, over_frequencies).negative;
    out.push_back({leads ? c : other, leads ? other : c, polar,
                   !part.base.empty() ? part.base
                   : polar            ? "response"
                                      : "value",
                   negative, part.decibels || part_of(channels, other, over_frequencies).decibels});
  }
  if (over_frequencies) leave_out_polar_copies(out, left_out);
  return out;
}

std::unique_ptr<SampleSource> join_complex(std::unique_ptr<SampleSource> source, const ReadSettings& settings,
                                           bool written) {
  const Recording& r = source->recording();
  if (settings.complex == "off" || r.complex) return source;
  const bool asked = settings.complex == "pairs";
  std::vector<std::size_t> left_out;
  std::vector<ComplexPair> pairs =
      complex_pairs(r.channels, asked, r.axis.domain == Axis::Domain::frequency, left_out);
  if (pairs.empty()) {
    if (asked)
      throw Error(Status::usage, "--complex pairs: " + r.file + " has " + std::to_string(r.channels.size()) +
                                     " channels, which don't make pairs; choose with --columns");
    return source;
  }
  return std::make_unique<ComplexColumns>(std::move(source), std::move(pairs), std::move(left_out), written);
}

}  // namespace vprism
