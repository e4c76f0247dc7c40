// column.cpp: see column.h.
#include "condition/column.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>

namespace vprism {

void WorkerSeries::add(std::span<const double> in, std::vector<double>& out) {
  // In pieces that what passes between the workers stays near the core with.
  constexpr std::size_t piece = 4096;
  for (std::size_t at = 0; at < in.size(); at += piece) {
    std::span<const double> part = in.subspan(at, std::min(piece, in.size() - at));
    for (std::size_t i = 0; i + 1 < workers_.size(); ++i) {
      next_.clear();
      workers_[i]->add(part, next_);
      std::swap(now_, next_);
      part = now_;
    }
    workers_.back()->add(part, out);
  }
}

void WorkerSeries::finish(std::vector<double>& out) {
  now_.clear();
  for (std::size_t i = 0; i < workers_.size(); ++i) {
    const bool last = i + 1 == workers_.size();
    next_.clear();
    std::vector<double>& to = last ? out : next_;
    workers_[i]->add(now_, to);
    workers_[i]->finish(to);
    if (!last) std::swap(now_, next_);
  }
}

void Outlet::start(const Recording& passing) {
  const std::size_t channels = passing.channels.size();
  columns_.assign(channels * (passing.complex ? 2 : 1), {});
  block_ = Block(channels, Block::good_capacity(channels), false, passing.complex);
  first_ = 0;
  gaps_ = false;
}

void Outlet::flush(const Sink& next) {
  std::size_t ready = columns_.empty() ? 0 : columns_[0].size();
  for (const auto& column : columns_) ready = std::min(ready, column.size());
  for (std::size_t at = 0; at < ready;) {
    const std::size_t count = std::min(block_.capacity(), ready - at);
    for (std::size_t c = 0; c < columns_.size(); ++c)
      std::copy_n(columns_[c].begin() + static_cast<std::ptrdiff_t>(at), count, block_.room(c).begin());
    block_.set(first_, count);
    block_.set_gaps(gaps_);
    first_ += static_cast<std::int64_t>(count);
    at += count;
    next(block_);
  }
  for (auto& column : columns_)
    column.erase(column.begin(), column.begin() + static_cast<std::ptrdiff_t>(ready));
}

void ColumnStage::start_columns(const Recording& out) {
  outlet_.start(out);
  workers_.clear();
  for (std::size_t c = 0; c < outlet_.columns(); ++c) workers_.push_back(make_worker());
}

void ColumnStage::push(Block& block, const Sink& next) {
  if (block.gaps()) outlet_.set_gaps();
  const auto work = [&](std::size_t c) { workers_[c]->add(block.samples(c), outlet_.column(c)); };
  if (workers_.size() == 1)
    work(0);
  else
    oneapi::tbb::parallel_for(std::size_t{0}, workers_.size(), work);
  outlet_.flush(next);
}

void ColumnStage::finish(const Sink& next) {
  for (std::size_t c = 0; c < workers_.size(); ++c) workers_[c]->finish(outlet_.column(c));
  outlet_.flush(next);
}

}  // namespace vprism
