// ranks.h: several processes of one program that a launcher started to work on one record together.
#pragma once

#include <cstddef>
#include <cstdint>
#include <functional>
#include <string>

#include "base/baton.h"

namespace vprism {

/// What the module `vprism-ranks.so` gives, which is loaded only under a launcher.
struct RankCalls {
  const char* version;
  void (*begin)(int& rank, int& count);
  void (*send)(int to, const std::string& bytes);
  std::string (*receive)(int from);
  /// Ends every process of the run with this status; does not return.
  void (*abort)(int status);
  void (*finish)();
};

/// Rank 0 reads the command, reports and writes. All ranks do the same until a pass that can't be shared:
/// from there on rank 0 goes on alone.
class Ranks {
 public:
  /// How many processes the launcher says that it started, by its variables; 1 without one.
  static std::size_t launched();
  /// Takes part, where there are several. What this process starts later doesn't. Throws Error(usage) where
  /// the module is not there: then `launched_rank` says who is to work.
  static void join();
  static std::size_t launched_rank();

  static std::size_t count();
  static std::size_t rank();
  /// Whether several ranks are at work together.
  static bool shared();
  /// What can't be shared begins: throws RankIsDone on all but rank 0, which is alone from now on.
  static void go_on_alone();
  /// The baton goes through the ranks in their order, each putting to it what it has; what the last one hands
  /// on comes to all.
  static Baton in_turn(const std::function<void(Baton& before, Baton& after)>& put);
  /// This rank has come to its end; waits for rank 0's, or is it.
  static void finish();
  /// Ends the run for all.
  [[noreturn]] static void abort(int status);
};

/// Not an error: this rank's work is done.
struct RankIsDone {};
/// What all ranks agree to find out together too late: the command is to be run again, by rank 0 alone.
struct RunAgainAlone {};

}  // namespace vprism
