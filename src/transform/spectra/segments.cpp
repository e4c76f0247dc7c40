// segments.cpp: see segments.h.
#include "transform/spectra/segments.h"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "base/dot.h"
#include "base/error.h"
#include "base/machine/large_pages.h"
#include "base/machine/side_by_side.h"

namespace vprism {

namespace {

/// Samples of one segment of all columns, under which their segments are handed on several at once.
constexpr std::size_t few_held = std::size_t{1} << 21;

}  // namespace

SegmentFeed::SegmentFeed(std::vector<std::size_t> columns, std::size_t segment, std::size_t hop,
                         std::int64_t expected, std::size_t together)
    : columns_(std::move(columns)),
      segment_(segment),
      hop_(hop),
      together_(std::max<std::size_t>(1, together)),
      at_once_(columns_.size() * segment < few_held ? SIZE_MAX : together_),
      held_(columns_.size()),
      sums_(columns_.size(), 0.0),
      squares_(columns_.size(), 0.0),
      shifts_(columns_.size()),
      closed_(columns_.size()) {
  const std::size_t room = std::max(at_once_ == SIZE_MAX ? 2 * segment : 0, segment + (together_ - 1) * hop);
  for (auto& held : held_) reserve_large(held, expected == 1 ? segment : room);
}

std::vector<std::size_t> SegmentFeed::all_columns(const Block& block) {
  std::vector<std::size_t> columns(block.columns());
  std::iota(columns.begin(), columns.end(), std::size_t{0});
  return columns;
}

std::size_t SegmentFeed::most_at_once(std::size_t hop) {
  return std::max<std::size_t>(1, (std::size_t{1} << 17) / hop);
}

void SegmentFeed::add_squares(std::size_t column, const double* x, std::size_t count) {
  if (!shifts_[column]) shifts_[column] = x[0];
  sums_[column] += sum_of(x, count);
  squares_[column] += squares_about(x, count, *shifts_[column]);
}

/// Chan, Golub & LeVeque 1979.
void SegmentFeed::Moments::join(const Moments& other) {
  const double all = count + other.count, away = other.mean - mean;
  if (count == 0 || other.count == 0) {
    if (count == 0) *this = other;
    return;
  }
  mean += away * other.count / all;
  squares += other.squares + away * away * count * other.count / all;
  count = all;
}

void SegmentFeed::close_part() {
  if (samples_ == 0) return;
  const auto count = static_cast<double>(samples_);
  for (std::size_t c = 0; c < columns_.size(); ++c) {
    const double mean = sums_[c] / count, away = shifts_[c] ? mean - *shifts_[c] : 0;
    closed_[c].push_back({count, mean, std::max(0.0, squares_[c] / count - away * away) * count});
    sums_[c] = squares_[c] = 0;
    shifts_[c].reset();
  }
  samples_ = 0;
}

SegmentFeed::Moments SegmentFeed::joined(std::size_t column) const {
  Moments all;
  for (const Moments& part : closed_[column]) all.join(part);
  return all;
}

double SegmentFeed::variance(std::size_t column) {
  close_part();
  const Moments all = joined(column);
  return all.count < 2 ? 0 : all.squares / all.count;
}

double SegmentFeed::mean(std::size_t column) {
  close_part();
  return joined(column).mean;
}

void SegmentFeed::keep_to(std::int64_t from, std::int64_t to) {
  const auto hop = static_cast<std::int64_t>(hop_);
  place_ = from, end_ = to;
  done_ = first_ = (from + hop - 1) / hop;
  last_ = (to + hop - 1) / hop;
  skip_ = static_cast<std::size_t>(done_ * hop - from);
  while (next_part_ < parts_.size() && parts_[next_part_] <= from) ++next_part_;
}

void SegmentFeed::begin_parts() {
  for (; next_part_ < parts_.size() && parts_[next_part_] <= place_; ++next_part_) close_part();
}

std::size_t SegmentFeed::wanted(std::size_t segments) const {
  return static_cast<std::size_t>(
      std::clamp<std::int64_t>(last_ - done_, 0, static_cast<std::int64_t>(segments)));
}

void SegmentFeed::pass_on(Baton& before, Baton& after) {
  close_part();
  after.put((before.empty() ? 0 : before.whole()) + std::max<std::int64_t>(0, done_ - first_));
  for (std::size_t c = 0; c < columns_.size(); ++c) {
    Moments all;
    if (!before.empty()) {
      const std::vector<double> numbers = before.numbers();
      all = {numbers.at(0), numbers.at(1), numbers.at(2)};
    }
    for (const Moments& part : closed_[c]) all.join(part);
    after.put(std::vector{all.count, all.mean, all.squares});
  }
}

void SegmentFeed::take(Baton& all) {
  first_ = 0, done_ = all.whole();
  for (auto& column : closed_) {
    const std::vector<double> numbers = all.numbers();
    column = {{numbers.at(0), numbers.at(1), numbers.at(2)}};
  }
}

void SegmentFeed::release() {
  for (auto& held : held_) std::vector<double>().swap(held);
}

void SegmentFeed::hand_on_held(std::int64_t place, const Work& work) {
  const std::size_t have = held_.empty() ? 0 : held_.front().size();
  if (have < segment_) return;
  SegmentBatch batch;
  batch.hop = hop_;
  for (const auto& held : held_) batch.columns.push_back(held.data());
  batch.sample = place - static_cast<std::int64_t>(have);
  const std::size_t whole = 1 + (have - segment_) / hop_, most = std::max(together_, most_at_once(hop_));
  const std::size_t now = wanted(whole);
  for (std::size_t from = 0; from < now; from += most) {
    batch.first = done_;
    batch.count = std::min(most, now - from);
    done_ += static_cast<std::int64_t>(batch.count);
    work(batch);
    batch.sample += static_cast<std::int64_t>(batch.count * hop_);
    for (const double*& column : batch.columns) column += batch.count * hop_;
  }
  for (auto& held : held_)
    held.erase(held.begin(),
               held.begin() + static_cast<std::ptrdiff_t>(whole * hop_ < have ? whole * hop_ : have));
}

void SegmentFeed::flush(const Work& work) { hand_on_held(place_, work); }

void SegmentFeed::part_here(std::int64_t place, const Work& work) {
  hand_on_held(place, work);
  parted_ = true;
  for (auto& held : held_) held.clear();
}

void SegmentFeed::add(std::span<const std::span<const double>> columns, const Work& work) {
  std::vector<const double*> from;
  for (const auto& column : columns) from.push_back(column.data());
  if (columns.empty()) return;
  begin_parts();
  add_stretch(from, columns[0].size(), work);
  place_ += static_cast<std::int64_t>(columns[0].size());
}

void SegmentFeed::add(const Block& block, const Work& work) {
  const auto missing = [&](std::size_t n) {
    return std::any_of(columns_.begin(), columns_.end(),
                       [&](std::size_t c) { return std::isnan(block.samples(c)[n]); });
  };
  std::vector<const double*> from(columns_.size());
  begin_parts();
  for (std::size_t at = 0; at < block.size();) {
    std::size_t end = block.gaps() ? at : block.size();
    while (end < block.size() && !missing(end)) ++end;
    for (std::size_t c = 0; c < columns_.size(); ++c) from[c] = block.samples(columns_[c]).data() + at;
    add_stretch(from, end - at, work);
    if (end < block.size()) part_here(place_ + static_cast<std::int64_t>(end - at), work);
    while (end < block.size() && missing(end)) ++end;
    place_ += static_cast<std::int64_t>(end - at);
    at = end;
  }
}

void SegmentFeed::add_stretch(const std::vector<const double*>& columns, std::size_t count,
                              const Work& work) {
  if (count == 0) return;
  SegmentBatch batch;
  batch.hop = hop_;
  batch.columns.resize(columns_.size());
  // Added up just before they are worked on, so that samples come from memory once; in pieces that do not
  // depend on where segments lie.
  constexpr std::size_t piece = 8192;
  const bool counted = place_ < end_;
  if (counted) samples_ += static_cast<std::int64_t>(count);
  std::size_t summed = 0;
  const auto add_until = [&](std::size_t end) {
    while (counted && summed < end) {
      const std::size_t some = std::min(piece, count - summed);
      for (std::size_t c = 0; c < columns_.size(); ++c) add_squares(c, columns[c] + summed, some);
      summed += some;
    }
  };
  const std::size_t most = std::max(together_, most_at_once(hop_));
  // The first segment begins `begun` samples before the stretch, or `at` samples into it.
  const auto hand_on = [&](std::size_t all, std::size_t begun, std::size_t at) {
    const std::size_t segments = wanted(all);
    for (std::size_t from = 0; from < segments; from += most) {
      batch.first = done_;
      batch.count = std::min(most, segments - from);
      done_ += static_cast<std::int64_t>(batch.count);
      add_until(at + (from + batch.count - 1) * hop_ + segment_ - begun);
      work(batch);
      batch.sample += static_cast<std::int64_t>(batch.count * hop_);
      for (const double*& column : batch.columns) column += batch.count * hop_;
    }
  };
  std::size_t at = std::min(skip_, count);
  skip_ -= at;
  if (at == count ||
      (together_ > 1 && held_.front().size() + count - at < segment_ + (together_ - 1) * hop_)) {
    for (std::size_t c = 0; c < columns_.size(); ++c)
      held_[c].insert(held_[c].end(), columns[c] + at, columns[c] + count);
    add_until(count);
    return;
  }
  while (!held_.front().empty()) {
    // The segments that begin in what is held need no more than this of the stretch.
    const std::size_t begun = held_.front().size(), last = std::min((begun - 1) / hop_, at_once_ - 1) * hop_;
    const std::size_t take = std::min(count - at, last + segment_ - begun);
    for (std::size_t c = 0; c < columns_.size(); ++c) {
      held_[c].insert(held_[c].end(), columns[c] + at, columns[c] + at + take);
      batch.columns[c] = held_[c].data();
    }
    batch.sample = place_ + static_cast<std::int64_t>(at) - static_cast<std::int64_t>(begun);
    const std::size_t have = begun + take, whole = have < segment_ ? 0 : 1 + (have - segment_) / hop_;
    if (whole > 0) hand_on(whole, begun, at);
    add_until(at + take);
    if (whole * hop_ >= begun) {
      for (auto& held : held_) held.clear();
      at += whole * hop_ - begun;
      break;
    }
    // Whoever had them may have let go of them.
    for (auto& held : held_)
      held.erase(held.begin(),
                 held.begin() + static_cast<std::ptrdiff_t>(std::min(whole * hop_, held.size())));
    at += take;
    if (at == count || held_.front().empty()) return;
  }
  if (at + segment_ <= count) {
    const std::size_t whole = 1 + (count - at - segment_) / hop_;
    for (std::size_t c = 0; c < columns_.size(); ++c) batch.columns[c] = columns[c] + at;
    batch.sample = place_ + static_cast<std::int64_t>(at);
    hand_on(whole, 0, at);
    at += whole * hop_;
  }
  add_until(count);
  for (std::size_t c = 0; c < columns_.size() && at < count; ++c)
    held_[c].assign(columns[c] + at, columns[c] + count);
}

ChannelFeeds::ChannelFeeds(const Block& like, std::size_t segment, std::size_t hop, std::int64_t expected) {
  for (std::size_t c = 0; c < like.channels(); ++c) {
    std::vector<std::size_t> columns = {c};
    if (like.complex()) columns.push_back(like.channels() + c);
    feeds_.emplace_back(std::move(columns), segment, hop, expected);
  }
}

void ChannelFeeds::add(const Block& block, const Work& work, bool side_by_side) {
  for_all(side_by_side, feeds_.size(),
          [&](std::size_t c) { feeds_[c].add(block, [&](const SegmentBatch& batch) { work(batch, c); }); });
}

const SegmentFeed& ChannelFeeds::fullest() const {
  return *std::max_element(feeds_.begin(), feeds_.end(), [](const SegmentFeed& a, const SegmentFeed& b) {
    return a.segments() < b.segments();
  });
}

void require_a_segment(const SegmentFeed* feed, std::size_t segment) {
  if (feed != nullptr && feed->segments() > 0) return;
  const bool parted = feed != nullptr && feed->parted();
  throw Error(
      Status::analysis,
      std::string(parted ? "no stretch between the gaps is, in all channels, as long as one segment of "
                         : "the record is shorter than one segment of ") +
          std::to_string(segment) + " samples; give a shorter --segment" +
          (parted ? ", or leave out with --channel what has no data" : ""));
}

}  // namespace vprism
