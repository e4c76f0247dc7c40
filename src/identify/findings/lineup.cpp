// lineup.cpp: see lineup.h.
//
// Bases are tried where some line, taken for some order, would put them; each trial is refined by weighted
// least squares over the lines that then fit, and the one that explains most wins. Two frequencies agree when
// they differ by no more than four joint standard uncertainties, or by what clocks may differ.
#include "identify/findings/lineup.h"

#include <algorithm>
#include <cctype>
#include <cmath>
#include <map>
#include <numbers>

#include "base/error.h"
#include "base/text.h"

namespace vprism {

namespace {

/// A line in terms of one unknown base: factor * base + rest.
struct Resolved {
  double factor = 0, rest = 0, rest_std = 0;
};

struct Base {
  double hz = 0, std_hz = 0;
};
using Bases = std::map<std::string, Base>;

std::optional<Resolved> resolve(const Suspect& suspect, const ExpectedLine& line, const Bases& bases) {
  Resolved out{0, line.constant_hz, 0};
  for (const ExpectedLine::Term& term : line.terms) {
    if (term.suspect.empty() || term.suspect == suspect.name) {
      out.factor += term.factor;
      continue;
    }
    const auto found = bases.find(term.suspect);
    if (found == bases.end()) return std::nullopt;
    out.rest += term.factor * found->second.hz;
    out.rest_std = std::hypot(out.rest_std, term.factor * found->second.std_hz);
  }
  return out;
}

class Matcher {
 public:
  Matcher(const Suspect& suspect, const std::vector<Observed>& lines, const LineUpSettings& settings,
          const Bases& bases)
      : suspect_(suspect), lines_(lines), settings_(settings) {
    for (const ExpectedLine& line : suspect.lines) resolved_.push_back(resolve(suspect, line, bases));
  }

  SuspectMatch best() {
    SuspectMatch best;
    if (!suspect_.base_hz) {
      best = tried({0, 0}, 0);
      finish(best);
      return best;
    }
    const double low = suspect_.base_hz->low.value_or(0), high = suspect_.base_hz->high.value_or(1e300);
    double best_value = -1;
    for (std::size_t l = 0; l < resolved_.size(); ++l) {
      if (!resolved_[l] || resolved_[l]->factor == 0) continue;
      for (const Observed& o : lines_) {
        const double base = (o.hz - resolved_[l]->rest) / resolved_[l]->factor;
        const double spread = std::hypot(o.hz_std, resolved_[l]->rest_std) / std::abs(resolved_[l]->factor);
        if (base < low - 3 * spread || base > high + 3 * spread || base <= 0) continue;
        SuspectMatch trial = tried({base, spread}, 2);
        // Of bases that explain as much, the one nearest to the middle of what was stated.
        const double off = std::isfinite(high) && high < 1e299 && high > low
                               ? std::abs(trial.base_hz.value_or(base) - (low + high) / 2) / (high - low)
                               : 0;
        const double value = weight_found(trial) - 0.1 * off;
        if (value > best_value) best = std::move(trial), best_value = value;
      }
    }
    if (best.lines.empty()) {
      best = tried({std::isfinite(high) && high < 1e299 ? (low + high) / 2 : low, 0}, 0);
      for (LineMatch& line : best.lines) line.observed.clear();
      best.base_hz.reset(), best.base_std_hz.reset();
    }
    finish(best);
    return best;
  }

 private:
  double weight_found(const SuspectMatch& m) const {
    double sum = 0;
    for (const LineMatch& line : m.lines)
      if (!line.observed.empty()) sum += suspect_.lines[line.line].weight * closeness(line);
    return sum;
  }

  double width_at(double hz, double std_hz) const { return std::max(4 * std_hz, settings_.clock * hz); }

  double closeness(const LineMatch& line) const {
    double best = 0;
    for (const std::size_t i : line.observed) {
      const double width = width_at(line.expected_hz, lines_[i].hz_std);
      best = std::max(best, 1 / (1 + 0.25 * std::pow((lines_[i].hz - line.expected_hz) / width, 2)));
    }
    return best;
  }

  SuspectMatch tried(Base base, int refinements) const {
    SuspectMatch m;
    for (int round = 0;; ++round) {
      m.lines.clear();
      double sum = 0, weights = 0;
      for (std::size_t l = 0; l < resolved_.size(); ++l) {
        if (!resolved_[l]) continue;
        LineMatch line;
        line.line = l;
        line.expected_hz = std::abs(resolved_[l]->factor * base.hz + resolved_[l]->rest);
        if (!(line.expected_hz > 0) || line.expected_hz > settings_.top_hz) continue;
        const double own_std = std::hypot(resolved_[l]->factor * base.std_hz, resolved_[l]->rest_std);
        std::map<std::size_t, std::size_t> nearest;  // By channel.
        for (std::size_t i = 0; i < lines_.size(); ++i) {
          const Observed& o = lines_[i];
          const double off = std::abs(o.hz - line.expected_hz);
          // A base known from one poor line would let anything in at high orders.
          const double width = width_at(line.expected_hz, std::hypot(o.hz_std, own_std));
          if (off > width || width > 0.02 * line.expected_hz) continue;
          const auto [at, fresh] = nearest.emplace(o.channel, i);
          if (!fresh && off < std::abs(lines_[at->second].hz - line.expected_hz)) at->second = i;
        }
        for (const auto& [channel, i] : nearest) {
          line.observed.push_back(i);
          const double factor = resolved_[l]->factor;
          if (factor == 0) continue;
          const double std_hz = std::hypot(lines_[i].hz_std, 1e-7 * lines_[i].hz);
          const double weight = factor * factor / (std_hz * std_hz);
          const double sign = factor * base.hz + resolved_[l]->rest < 0 ? -1 : 1;
          sum += weight * (sign * lines_[i].hz - resolved_[l]->rest) / factor;
          weights += weight;
        }
        m.lines.push_back(std::move(line));
      }
      if (weights > 0) m.base_hz = sum / weights, m.base_std_hz = 1 / std::sqrt(weights);
      if (round >= refinements || !(weights > 0)) return m;
      base = {*m.base_hz, *m.base_std_hz};
    }
  }

  void finish(SuspectMatch& m) const {
    double found = 0, all = 0;
    std::size_t hits = 0;
    double top = 0;
    for (const Observed& o : lines_) top = std::max(top, o.hz);
    for (const LineMatch& line : m.lines) {
      const double weight = suspect_.lines[line.line].weight;
      all += weight;
      if (!line.observed.empty()) {
        found += weight * closeness(line);
        ++hits;
      }
    }
    m.score = all > 0 ? found / all : 0;
    if (hits == 0 || top <= 0) {
      m.score = 0;
      m.chance = 1;
      return;
    }
    // How dense lines lie around each that is expected gives how many would fall into its window by accident.
    // One of them fixes the base, in as many ways as lines fall into the whole range of any; of the others at
    // least as many as were found fall into the narrow windows that are left.
    std::map<long, double> distinct;
    for (const Observed& o : lines_) distinct.emplace(std::lround(std::log(o.hz) / 1e-4), o.hz);
    // What is held to be its own is no chance.
    for (const LineMatch& line : m.lines)
      for (const std::size_t i : line.observed) distinct.erase(std::lround(std::log(lines_[i].hz) / 1e-4));
    const auto density = [&](double hz) {
      double count = 0.5;
      for (const auto& [key, at] : distinct) count += at > hz / 1.5 && at < 1.5 * hz ? 1 : 0;
      return count / (hz * (1.5 - 1 / 1.5));
    };
    double ways = 0, narrow = 0;
    const bool ranged = suspect_.base_hz && suspect_.base_hz->low && suspect_.base_hz->high;
    for (const LineMatch& line : m.lines) {
      const double own = line.observed.empty() ? 0 : lines_[line.observed.front()].hz_std;
      const double width = 2 * width_at(line.expected_hz, own),
                   factor = resolved_[line.line] ? std::abs(resolved_[line.line]->factor) : 1;
      const double dense = density(line.expected_hz);
      if (hits == 1 && line.observed.empty()) continue;
      ways += !suspect_.base_hz ? dense * width
              : ranged ? dense * (width + (*suspect_.base_hz->high - *suspect_.base_hz->low) * factor)
                       : static_cast<double>(distinct.size() + hits);
      narrow += (1 - std::exp(-dense * width)) / static_cast<double>(m.lines.size());
    }
    const auto others = static_cast<double>(m.lines.size() - 1);
    // At least `hits` - 1 of the others: the binomial's upper tail.
    double tail = 1, term = std::pow(1 - narrow, others);
    for (std::size_t j = 0; j + 1 < hits; ++j) {
      tail -= term;
      term *= (others - static_cast<double>(j)) / (static_cast<double>(j) + 1) * narrow /
              std::max(1e-12, 1 - narrow);
    }
    const double chance =
        (1 - std::exp(-ways)) * (hits > 1 ? std::min(1.0, std::max(tail, 1e-12) * std::max(1.0, ways)) : 1.0);
    m.chance = std::clamp(chance, 0.0, 1.0);
    // One hit in a wide range says little.
    m.score *= 1 - 0.5 * m.chance;
  }

  const Suspect& suspect_;
  const std::vector<Observed>& lines_;
  const LineUpSettings& settings_;
  std::vector<std::optional<Resolved>> resolved_;
};

}  // namespace

std::size_t SuspectMatch::found() const {
  return static_cast<std::size_t>(
      std::count_if(lines.begin(), lines.end(), [](const LineMatch& l) { return !l.observed.empty(); }));
}

ExpectedLine parse_line_formula(std::string_view text, const std::vector<std::string>& known) {
  ExpectedLine line;
  line.what = clean_text(trimmed(text));
  // Signs stand between blanks, so that names may hold them.
  std::vector<std::pair<double, std::string>> parts;
  double sign = 1;
  std::string part;
  const std::string all = std::string(trimmed(text)) + " ";
  for (std::size_t i = 0; i < all.size(); ++i) {
    const bool between = (all[i] == '+' || all[i] == '-') && i > 0 && all[i - 1] == ' ' && all[i + 1] == ' ';
    if (!between) {
      part += all[i];
      continue;
    }
    parts.emplace_back(sign, std::string(trimmed(part)));
    part.clear();
    sign = all[i] == '+' ? 1 : -1;
  }
  parts.emplace_back(sign, std::string(trimmed(part)));
  for (const auto& [s, words] : parts) {
    std::string name = words;
    double factor = 1;
    if (const std::size_t star = words.find('*'); star != std::string::npos) {
      std::string_view rest;
      factor = parse_leading_number(trimmed(std::string_view(words).substr(0, star)), rest);
      if (!rest.empty())
        throw Error(Status::usage, "\"" + clean_text(words) + "\": a number stands before *");
      name = std::string(trimmed(std::string_view(words).substr(star + 1)));
    }
    if (name.empty()) throw Error(Status::usage, "\"" + line.what + "\": a term is missing");
    if (std::find(known.begin(), known.end(), name) != known.end()) {
      line.terms.push_back({name, s * factor});
    } else if (std::isdigit(static_cast<unsigned char>(name[0])) || name[0] == '.') {
      line.constant_hz += s * factor * parse_quantity(name, Dimension::frequency);
    } else {
      throw Error(Status::usage, unknown_name("suspect", name, known));
    }
  }
  return line;
}

BearingOrders bearing_orders(double balls, double ball_diameter, double pitch_diameter, double angle_deg) {
  const double ratio = ball_diameter / pitch_diameter * std::cos(angle_deg * std::numbers::pi / 180);
  return {(1 - ratio) / 2, balls / 2 * (1 - ratio), balls / 2 * (1 + ratio),
          pitch_diameter / (2 * ball_diameter) * (1 - ratio * ratio)};
}

std::vector<SuspectMatch> match_suspects(const LineUp& lineup, const std::vector<Observed>& lines,
                                         const LineUpSettings& settings) {
  std::vector<SuspectMatch> out(lineup.size());
  Bases bases;
  // Those with a base of their own first; formulas of others use what was found.
  for (const bool formulas : {false, true})
    for (std::size_t s = 0; s < lineup.size(); ++s) {
      const Suspect& suspect = lineup[s];
      const bool leans = std::any_of(suspect.lines.begin(), suspect.lines.end(), [&](const ExpectedLine& l) {
        return std::any_of(l.terms.begin(), l.terms.end(), [&](const ExpectedLine::Term& t) {
          return !t.suspect.empty() && t.suspect != suspect.name;
        });
      });
      if (leans != formulas) continue;
      out[s] = Matcher(suspect, lines, settings, bases).best();
      out[s].suspect = s;
      if (!suspect.base_hz) continue;
      Base base{0, 0};
      if (out[s].base_hz) {
        base = {*out[s].base_hz, *out[s].base_std_hz};
      } else if (suspect.base_hz->low && suspect.base_hz->high) {
        base = {(*suspect.base_hz->low + *suspect.base_hz->high) / 2,
                (*suspect.base_hz->high - *suspect.base_hz->low) / 4};
      } else {
        continue;
      }
      bases[suspect.name] = base;
    }
  return out;
}

}  // namespace vprism
