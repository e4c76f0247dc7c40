// field_source.cpp: see field_source.h.
#include "formats/field_source.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <atomic>
#include <cmath>
#include <limits>

#include "base/error.h"
#include "base/text.h"

namespace vprism {

namespace {

constexpr std::size_t stamps_column = std::numeric_limits<std::size_t>::max();

}  // namespace

FieldSource::FieldSource(InputFile file, Recording recording, FieldLayout layout,
                         const ReadSettings& settings, double file_interval, const std::string& file_source)
    : file_(std::move(file)),
      recording_(std::move(recording)),
      layout_(std::move(layout)),
      settings_(settings),
      file_interval_(file_interval),
      file_source_(file_source) {
  const auto samples = static_cast<std::uint64_t>(recording_.samples);
  std::vector<std::pair<const Field*, std::size_t>> fields;
  for (std::size_t c = 0; c < layout_.columns.size(); ++c) fields.emplace_back(&layout_.columns[c], c);
  if (layout_.stamps) fields.emplace_back(&*layout_.stamps, stamps_column);
  for (const auto& [field, column] : fields) {
    const std::uint64_t size = file_.size();
    const bool fits =
        field->offset <= size && field->type->size <= size - field->offset &&
        (samples <= 1 ||
         (field->stride > 0 && (size - field->offset - field->type->size) / field->stride >= samples - 1));
    if (samples == 0 || !fits)
      throw Error(Status::input, recording_.file + ": cut short: its header promises " +
                                     std::to_string(samples) + " samples, which " + std::to_string(size) +
                                     " bytes can't hold; copy or export it again");
  }
  std::stable_sort(fields.begin(), fields.end(),
                   [](const auto& a, const auto& b) { return a.first->offset < b.first->offset; });
  for (const auto& [field, column] : fields) {
    const std::uint64_t end = field->offset + field->type->size;
    Cluster* last = clusters_.empty() ? nullptr : &clusters_.back();
    if (last == nullptr || last->stride != field->stride ||
        end - last->offset > std::max<std::uint64_t>(field->stride, last->extent)) {
      clusters_.push_back({field->offset, field->stride, field->type->size, {}});
      last = &clusters_.back();
    }
    last->extent = std::max(last->extent, end - last->offset);
    last->columns.push_back(column);
  }
  if (!layout_.stamps) settle_interval(recording_, settings_, file_interval_, file_source_);
}

void FieldSource::decode(const Field& field, const char* from, std::size_t count, double* to,
                         bool& gaps) const {
  if (field.base)
    field.type->distances(from, static_cast<std::size_t>(field.stride), count, *field.base, to);
  else
    field.type->decode(from, static_cast<std::size_t>(field.stride), count, to);
  if (field.bit < 64) {
    for (std::size_t n = 0; n < count; ++n)
      to[n] = static_cast<double>((static_cast<std::uint64_t>(to[n]) >> field.bit) & 1);
    return;
  }
  if (field.missing)
    for (std::size_t n = 0; n < count; ++n)
      if (to[n] == *field.missing) to[n] = std::nan(""), gaps = true;
  if (field.factor != 1 || field.add != 0)
    for (std::size_t n = 0; n < count; ++n) to[n] = to[n] * field.factor + field.add;
  // Floats may hold NaN and infinity; neither is a sample.
  if (field.type->greatest == 0 && mark_missing(to, count)) gaps = true;
}

bool FieldSource::take_apart(const Cluster& cluster, std::size_t rows, std::size_t at, Block& block) const {
  // Some rows of all columns at a time, which stay near a core while the columns go through them.
  const auto stride = static_cast<std::size_t>(cluster.stride);
  const std::size_t tile =
      std::max<std::size_t>(64, (std::size_t{1} << 15) / std::max<std::size_t>(1, stride));
  std::atomic<bool> gaps = false;
  const auto work = [&](std::size_t i) {
    const std::size_t from = i * tile, count = std::min(tile, rows - from);
    bool here = false;
    for (const std::size_t c : cluster.columns) {
      const Field& field = c == stamps_column ? *layout_.stamps : layout_.columns[c];
      const auto to = c == stamps_column ? block.stamp_room() : block.room(c);
      if (to.empty()) continue;
      decode(field, buffer_.data() + from * stride + (field.offset - cluster.offset), count,
             to.data() + at + from, here);
    }
    if (here) gaps = true;
  };
  const std::size_t tiles = (rows + tile - 1) / tile;
  if (tiles > 1 && rows * cluster.columns.size() > (std::size_t{1} << 15))
    oneapi::tbb::parallel_for(std::size_t{0}, tiles, work);
  else
    for (std::size_t i = 0; i < tiles; ++i) work(i);
  return gaps;
}

std::size_t FieldSource::read(Block& block) {
  const std::size_t count = std::min(
      block.capacity(), static_cast<std::size_t>(std::max<std::int64_t>(recording_.samples - at_, 0)));
  const auto first = static_cast<std::uint64_t>(at_);
  bool gaps = false;
  for (const Cluster& cluster : clusters_) {
    // Frames may be far wider than what is taken of them; they are then fetched a few at a time.
    const std::size_t at_once = static_cast<std::size_t>(
        std::clamp<std::uint64_t>((std::uint64_t{4} << 20) / std::max<std::uint64_t>(cluster.stride, 1), 1,
                                  std::max<std::size_t>(count, 1)));
    for (std::size_t done = 0; done < count; done += at_once) {
      const std::size_t now = std::min(at_once, count - done);
      buffer_.resize(static_cast<std::size_t>((now - 1) * cluster.stride + cluster.extent));
      file_.read(cluster.offset + (first + done) * cluster.stride, buffer_);
      gaps = take_apart(cluster, now, done, block) || gaps;
    }
  }
  if (layout_.stamps) {
    take_stamps(block.stamp_room().subspan(0, count));
    if (!settled_ && at_ + static_cast<std::int64_t>(count) >= recording_.samples) {
      settled_ = true;
      settle_stamps(recording_, settings_, judge_, layout_.stamp_resolution, file_interval_, file_source_);
    }
  }
  block.set(at_, count);
  block.set_gaps(gaps);
  at_ += static_cast<std::int64_t>(count);
  return count;
}

void FieldSource::take_stamps(std::span<double> stamps) {
  if (layout_.stamps_are_magnitudes)
    for (double& t : stamps) t = std::abs(t);
  if (layout_.stamp_unit > 0)
    for (double& t : stamps) t = (t - layout_.stamp_first) * layout_.stamp_unit;
  if (!settled_) judge_.add(stamps);
}

void FieldSource::resolve() {
  if (settled_ || !layout_.stamps) return;
  judge_ = {};
  Block block = make_block();
  at_ = 0;
  while (read(block) > 0) continue;
  at_ = 0;
}

}  // namespace vprism
