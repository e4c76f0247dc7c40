// road_over.h: a chain run over samples in memory, in blocks of awkward sizes.
#pragma once

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <stdexcept>
#include <string>
#include <vector>

#include "base/error.h"
#include "condition/road.h"

namespace vprism {

/// Hands out blocks of at most `most` samples, so that stages meet block ends everywhere.
class SmallBlocks : public MemorySource {
 public:
  SmallBlocks(Recording recording, std::vector<std::vector<double>> columns, std::size_t most = 7)
      : MemorySource(std::move(recording), std::move(columns)), most_(most) {}
  std::size_t read(Block& block) override {
    Block small(block.channels(), most_);
    const std::size_t count = MemorySource::read(small);
    for (std::size_t c = 0; c < block.channels(); ++c)
      std::copy_n(small.samples(c).begin(), count, block.room(c).begin());
    block.set(small.first(), count);
    block.set_gaps(small.gaps());
    return count;
  }

 private:
  std::size_t most_;
};

inline Road road_over(std::vector<std::vector<double>> channels, Chain chain, double rate = 1000,
                      double start = 0, std::size_t most = 7) {
  Recording recording;
  recording.file = "memory";
  for (std::size_t c = 0; c < channels.size(); ++c)
    recording.channels.push_back({"ch" + std::to_string(c + 1), Unit::parse("V"), "voltage"});
  recording.axis.start = start;
  recording.axis.interval = 1 / rate;
  return Road(std::make_unique<SmallBlocks>(recording, std::move(channels), most), std::move(chain));
}

inline std::vector<std::vector<double>> collect(Road& road) {
  std::vector<std::vector<double>> out(road.recording().channels.size());
  std::int64_t expected = 0;
  road.run([&](Block& block) {
    EXPECT_EQ(block.first(), expected);
    expected += static_cast<std::int64_t>(block.size());
    for (std::size_t c = 0; c < out.size(); ++c)
      out[c].insert(out[c].end(), block.samples(c).begin(), block.samples(c).end());
  });
  if (road.recording().samples >= 0) {
    EXPECT_EQ(expected, road.recording().samples);  // As long as was said.
  }
  return out;
}

/// What comes out of a chain, with its channels by name.
struct ChainRun {
  Recording recording;
  std::vector<std::vector<double>> columns;
  const std::vector<double>& operator[](const std::string& name) const {
    for (std::size_t c = 0; c < columns.size(); ++c)
      if (recording.channels[c].name == name) return columns[c];
    throw std::out_of_range(name);
  }
};
inline ChainRun made_by(Recording recording, std::vector<std::vector<double>> data, Chain chain) {
  Road road(std::make_unique<MemorySource>(std::move(recording), std::move(data)), std::move(chain));
  road.resolve();
  ChainRun out;
  out.recording = road.recording();
  out.columns = collect(road);
  return out;
}

/// One channel through a chain.
inline std::vector<double> through(const std::string& chain, const std::vector<double>& x, double rate = 1000,
                                   std::size_t most = 61) {
  Road road = road_over({x}, parse_chain(chain), rate, 0, most);
  return collect(road)[0];
}

/// The error a chain gives; "" when there is none.
inline std::string chain_error(const std::string& chain, const std::vector<double>& x, double rate = 1000) {
  try {
    through(chain, x, rate);
    return "";
  } catch (const Error& error) {
    return error.what();
  }
}

/// f(0), f(1), ... `count` values.
template <typename Function>
std::vector<double> sampled(std::size_t count, Function f) {
  std::vector<double> x(count);
  for (std::size_t n = 0; n < count; ++n) x[n] = f(static_cast<double>(n));
  return x;
}

/// Peak amplitude of the sine at `cycles` per sample in x[from, to), by projection on sine and cosine: exact
/// for whole numbers of periods.
inline double amplitude_at(const std::vector<double>& x, double cycles, std::size_t from, std::size_t to) {
  double s = 0, c = 0;
  for (std::size_t n = from; n < to; ++n) {
    s += x[n] * std::sin(2 * M_PI * cycles * static_cast<double>(n));
    c += x[n] * std::cos(2 * M_PI * cycles * static_cast<double>(n));
  }
  return 2 * std::hypot(s, c) / static_cast<double>(to - from);
}

}  // namespace vprism
