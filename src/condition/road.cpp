// road.cpp: see road.h. Stage i hands to stage i + 1 by a nest of sinks made once per pass.
#include "condition/road.h"

#include <oneapi/tbb/task_group.h>

#include <algorithm>
#include <exception>

#include "base/machine/ranks.h"

namespace vprism {

Road::Road(std::unique_ptr<SampleSource> source, Chain chain)
    : source_(std::move(source)), chain_(std::move(chain)) {
  const bool needs_axis =
      std::any_of(chain_.begin(), chain_.end(), [](const auto& stage) { return stage->needs_axis(); });
  if (needs_axis)
    resolve();
  else
    start_stages(chain_.size());
}

void Road::resolve() {
  source_->resolve();
  surveyed_.resize(chain_.size(), false);
  // Each stage starts on what those before it give once their surveys are made.
  for (std::size_t i = 0; i < chain_.size();) {
    start_stages(i + 1);
    if (chain_[i]->survey_reshapes() && !surveyed_[i])
      survey_stages(i + 1);
    else
      ++i;
  }
  start_stages(chain_.size());
}

void Road::resolve_even(double band_hz) {
  band_hz_ = band_hz;
  resolve();
  if (!passing_.axis.stamped || passing_.axis.domain != Axis::Domain::time) return;
  put_in_grid(chain_.size());
  resolve();
}

void Road::put_in_grid(std::size_t before) {
  surveyed_.resize(chain_.size(), false);
  chain_.insert(chain_.begin() + static_cast<std::ptrdiff_t>(before), make_automatic_grid(band_hz_));
  surveyed_.insert(surveyed_.begin() + static_cast<std::ptrdiff_t>(before), false);
}

void Road::start_stages(std::size_t count) {
  passing_ = source_->recording();
  for (std::size_t i = 0; i < count; ++i) {
    try {
      chain_[i]->start(passing_);
    } catch (const NeedsGrid&) {
      put_in_grid(i);
      chain_[i]->start(passing_);
    }
  }
}

void Road::survey_stages(std::size_t end) {
  surveyed_.resize(chain_.size(), false);
  for (std::size_t i = 0; i < end; ++i) {
    if (!chain_[i]->surveys() || surveyed_[i]) continue;
    surveyed_[i] = true;
    start_stages(i + 1);
    Stage& stage = *chain_[i];
    pass(i, [&stage](Block& block) { stage.survey(block); }, {});
  }
}

void Road::run(const Sink& sink, const Progress& progress) {
  Ranks::go_on_alone();
  survey_stages(chain_.size());
  start_stages(chain_.size());
  pass(chain_.size(), sink, progress);
  start_stages(chain_.size());  // The end of the pass may have told the source its axis.
}

void Road::pass(std::size_t stages, const Sink& sink, const Progress& progress, const Stretch& stretch) {
  std::vector<Sink> sinks(stages + 1);
  const bool whole = stages == chain_.size() && !doubting_;
  // What a chain makes of its input may be missing too.
  sinks[stages] = !whole || stages == 0 ? sink : [&](Block& block) {
    made_.look(block, keep_large_);
    sink(block);
  };
  for (std::size_t i = stages; i-- > 0;)
    sinks[i] = [this, i, &sinks](Block& block) { chain_[i]->push(block, sinks[i + 1]); };
  const auto wanted = [&] {
    return std::all_of(chain_.begin(), chain_.begin() + static_cast<std::ptrdiff_t>(stages),
                       [](const auto& stage) { return stage->wants_more(); });
  };

  source_->rewind();
  if (stretch.from > 0) source_->seek(stretch.from);
  const std::int64_t all = source_->recording().samples;
  Block now = source_->make_block(), next = source_->make_block();
  std::int64_t done = 0;
  read_.begin(source_->recording().channels.size());
  made_.begin(passing_.channels.size());
  oneapi::tbb::task_group reading;
  source_->read(now);
  while (now.size() > 0) {
    const std::int64_t end = stretch.from + done + static_cast<std::int64_t>(now.size());
    const bool more = end < stretch.to && wanted();
    if (more) reading.run([&] { source_->read(next); });
    done += static_cast<std::int64_t>(now.size());
    read_.look(now, keep_large_ || !chain_.empty());  // The chain may bring them into range.
    std::exception_ptr failed;
    try {
      sinks[0](now);
    } catch (...) {
      failed = std::current_exception();
    }
    reading.wait();
    if (failed) std::rethrow_exception(failed);
    if (progress) progress(done, all);
    if (!more || !wanted()) break;
    std::swap(now, next);
  }
  for (std::size_t i = 0; i < stages; ++i) chain_[i]->finish(sinks[i + 1]);
  read_.end();
  if (whole) made_.end();
}

std::vector<std::int64_t> Road::part_starts() {
  const Recording& r = source_->recording();
  const bool plain = !source_->carries_stamps() && !doubting_ &&
                     std::all_of(chain_.begin(), chain_.end(), [](const auto& s) { return s->by_sample(); });
  std::vector<std::int64_t> starts;
  if (!plain || r.samples <= 0) return starts;
  constexpr auto most = static_cast<std::int64_t>(part_counts[0]);
  for (std::int64_t i = 0; i < most; ++i) {
    const std::int64_t at = i == 0 ? 0 : source_->seek(r.samples / most * i);
    // Of a short record several would lie in one block.
    if (at < 0 || (i > 0 && at <= starts.back())) return {};
    starts.push_back(at);
  }
  return starts;
}

bool Road::run_parted(std::span<PartedSink* const> parted, const Sink& sink, const Progress& progress) {
  const std::vector<std::int64_t> starts = part_starts();
  const Recording& r = source_->recording();
  std::size_t parts = part_counts[0];
  for (PartedSink* const one : parted)
    parts = std::min(parts, one->part(starts, r.channels.size(), r.complex));
  if (!Ranks::shared() || parted.empty() || parts < 2) {
    run(sink, progress);
    return false;
  }
  share(parted, starts, parts, sink, progress);
  return true;
}

void Road::share(std::span<PartedSink* const> parted, const std::vector<std::int64_t>& starts,
                 std::size_t parts, const Sink& sink, const Progress& progress) {
  const std::int64_t all = source_->recording().samples;
  const auto begin_of = [&](std::size_t rank) {
    const std::size_t part = rank * parts / Ranks::count();
    return part < parts ? starts[part * starts.size() / parts] : all;
  };
  const std::int64_t from = begin_of(Ranks::rank()), to = begin_of(Ranks::rank() + 1);
  std::int64_t reach = 0;
  for (PartedSink* const one : parted) {
    one->keep_to(from, to);
    reach = std::max(reach, one->reach());
  }
  const std::size_t known = source_->recording().cautions.size();
  start_stages(chain_.size());
  if (from < to) pass(chain_.size(), sink, progress, {from, to + reach});
  start_stages(chain_.size());
  // What the readers and the counts have found in one stretch is not what they would say of the whole.
  std::int64_t found = source_->recording().cautions.size() != known || !cautions().empty() ? 1 : 0;
  Baton whole = Ranks::in_turn([&](Baton& before, Baton& after) {
    after.put(std::max(found, before.empty() ? 0 : before.whole()));
    for (PartedSink* const one : parted) one->pass_on(before, after);
  });
  if (whole.whole() != 0) throw RunAgainAlone();
  for (PartedSink* const one : parted) one->take(whole);
}

std::vector<Caution> Road::cautions() const {
  const Recording& read = source_->recording();
  std::vector<Caution> out = read_.cautions(read, read.cautions, "");
  // Where the chain has only handed on what was missing before, that is said once.
  std::vector<Caution> known = read.cautions;
  known.insert(known.end(), out.begin(), out.end());
  for (Caution& caution : made_.cautions(passing_, known, "after the chain"))
    out.push_back(std::move(caution));
  return out;
}

bool Road::has_doubt() const {
  return std::any_of(chain_.begin(), chain_.end(), [](const auto& stage) { return stage->has_doubt(); });
}

void Road::run_doubt(const Sink& sink) {
  for (const auto& stage : chain_) stage->doubt(true);
  doubting_ = true;
  run(sink);
  doubting_ = false;
  for (const auto& stage : chain_) stage->doubt(false);
}

std::vector<StageReport> Road::reports() const {
  std::vector<StageReport> out;
  for (const auto& stage : chain_)
    if (StageReport report = stage->report(); !report.name.empty()) out.push_back(std::move(report));
  return out;
}

}  // namespace vprism
