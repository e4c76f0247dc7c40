// table_source.cpp: see table_source.h.
#include "formats/text/tables/table_source.h"

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "formats/stamp_settler.h"

namespace vprism {

namespace {

class TableSource : public SampleSource {
 public:
  TableSource(Recording recording, TableInMemory table, const ReadSettings& settings)
      : recording_(std::move(recording)), table_(std::move(table)), settings_(settings) {
    recording_.channels = std::move(table_.channels);
    recording_.complex = table_.complex;
    recording_.cautions.insert(recording_.cautions.end(), table_.cautions.begin(), table_.cautions.end());
    recording_.samples = static_cast<std::int64_t>(table_.length());
    if (table_.axis.empty()) {
      recording_.axis.start = table_.start_s;
      settle_interval(recording_, settings_, table_.interval_s, table_.interval_source);
      return;
    }
    recording_.zero_ns = table_.zero_ns;
    recording_.axis.source = table_.axis_source;
    if (table_.frequencies) {
      recording_.axis.domain = Axis::Domain::frequency;
      recording_.axis.name = clean_text(table_.axis_name), recording_.axis.unit = Unit::parse("Hz");
    }
  }
  const Recording& recording() const override { return recording_; }
  bool carries_stamps() const override { return !table_.axis.empty(); }
  void rewind() override { at_ = 0; }

  void resolve() override {
    if (table_.axis.empty() || !stamps_.settle()) return;
    StampJudge judge;
    judge.add(table_.axis);
    settle_stamps(recording_, settings_, judge, 0, table_.interval_s, table_.interval_source);
  }

  std::size_t read(Block& block) override {
    const std::size_t count = std::min(block.capacity(), table_.length() - at_);
    bool gaps = false;
    for (std::size_t c = 0; c < table_.columns.size(); ++c) {
      const auto from = std::span(table_.columns[c]).subspan(at_, count);
      const auto to = block.room(c).subspan(0, count);
      std::copy(from.begin(), from.end(), to.begin());
      gaps = gaps || std::any_of(from.begin(), from.end(), [](double x) { return !std::isfinite(x); });
    }
    if (!table_.axis.empty()) {
      const auto from = std::span(table_.axis).subspan(at_, count);
      std::copy(from.begin(), from.end(), block.stamp_room().begin());
      if (at_ + count == table_.length()) resolve();
    }
    block.set(static_cast<std::int64_t>(at_), count);
    block.set_gaps(gaps);
    at_ += count;
    return count;
  }

 private:
  Recording recording_;
  TableInMemory table_;
  ReadSettings settings_;
  StampSettler stamps_;
  std::size_t at_ = 0;
};

}  // namespace

std::unique_ptr<SampleSource> open_table(Recording recording, TableInMemory table,
                                         const ReadSettings& settings) {
  return std::make_unique<TableSource>(std::move(recording), std::move(table), settings);
}

}  // namespace vprism
