// random.h: random numbers by place: the n-th number of a stream, without those before it.
#pragma once

#include <cmath>
#include <cstdint>
#include <numbers>

namespace vprism {

/// A stream of numbers that look random, chosen by a seed and a label. The same on every machine; any n may
/// be asked for at any time, so that a signal can be made again from anywhere.
class RandomStream {
 public:
  RandomStream(std::uint64_t seed, std::uint64_t label) : key_(mixed(seed) ^ mixed(~label)) {}

  /// Above 0, at most 1.
  double uniform(std::uint64_t n) const {
    return (static_cast<double>(mixed(key_ + n) >> 11) + 1) / 9007199254740992.0;
  }
  /// Mean 0, variance 1 (Box & Muller 1958).
  double gaussian(std::uint64_t n) const {
    return std::sqrt(-2 * std::log(uniform(2 * n))) * std::cos(2 * std::numbers::pi * uniform(2 * n + 1));
  }

 private:
  /// Finaliser of SplitMix64 (Steele, Lea & Flood 2014).
  static std::uint64_t mixed(std::uint64_t x) {
    x += 0x9E3779B97F4A7C15u;
    x = (x ^ (x >> 30)) * 0xBF58476D1CE4E5B9u;
    x = (x ^ (x >> 27)) * 0x94D049BB133111EBu;
    return x ^ (x >> 31);
  }
  std::uint64_t key_;
};

}  // namespace vprism
