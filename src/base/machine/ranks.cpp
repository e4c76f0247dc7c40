// ranks.cpp: see ranks.h.
#include "base/machine/ranks.h"

#include <cstdlib>

#include "base/error.h"
#include "base/machine/module_file.h"

namespace vprism {

namespace {

/// Variables in which launchers say how many they started, and which of them this is.
struct Launcher {
  const char* count;
  const char* rank;
};
constexpr Launcher launchers[] = {{"OMPI_COMM_WORLD_SIZE", "OMPI_COMM_WORLD_RANK"},
                                  {"PMI_SIZE", "PMI_RANK"},
                                  {"SLURM_STEP_NUM_TASKS", "PMIX_RANK"}};

struct State {
  const RankCalls* calls = nullptr;
  int rank = 0, count = 1;
  bool alone = false;
};
State& state() {
  static State only;
  return only;
}

std::size_t number_in(const char* name, std::size_t otherwise) {
  const char* const text = std::getenv(name);
  return text == nullptr ? otherwise : static_cast<std::size_t>(std::strtoul(text, nullptr, 10));
}

const Launcher* launcher() {
  for (const Launcher& one : launchers)
    if (std::getenv(one.count) != nullptr && std::getenv(one.rank) != nullptr && number_in(one.count, 1) > 1)
      return &one;
  return nullptr;
}

}  // namespace

std::size_t Ranks::launched() {
  const Launcher* const by = launcher();
  return by == nullptr ? 1 : number_in(by->count, 1);
}

std::size_t Ranks::launched_rank() {
  const Launcher* const by = launcher();
  return by == nullptr ? 0 : number_in(by->rank, 0);
}

void Ranks::join() {
  if (launcher() == nullptr) return;
  std::string why;
  const void* const found = module_entry("vprism-ranks.so", "vprism_ranks", why);
  if (found == nullptr)
    throw Error(Status::usage,
                "started " + std::to_string(launched()) +
                    " times by a launcher, but vprism-ranks.so, by which they work together, can't be "
                    "used (" +
                    why + "); start it once, or install vprism where MPI is");
  State& s = state();
  s.calls = static_cast<const RankCalls*>(found);
  s.calls->begin(s.rank, s.count);
  if (static_cast<std::size_t>(s.count) != launched())
    throw Error(
        Status::usage,
        "started " + std::to_string(launched()) + " times, but MPI sees " + std::to_string(s.count) +
            " of them: launcher and MPI library do not belong together; start it by the MPI's own mpirun, "
            "or with srun --mpi=pmix");
  // What is started from here is no rank.
  for (const Launcher& one : launchers) ::unsetenv(one.count), ::unsetenv(one.rank);
}

std::size_t Ranks::count() { return static_cast<std::size_t>(state().count); }
std::size_t Ranks::rank() { return static_cast<std::size_t>(state().rank); }
bool Ranks::shared() { return state().count > 1 && !state().alone; }

void Ranks::go_on_alone() {
  if (!shared()) return;
  state().alone = true;
  if (state().rank > 0) throw RankIsDone();
}

Baton Ranks::in_turn(const std::function<void(Baton& before, Baton& after)>& put) {
  const State& s = state();
  Baton before(s.rank > 0 ? s.calls->receive(s.rank - 1) : std::string()), after;
  put(before, after);
  const int last = s.count - 1;
  if (s.rank < last) {
    s.calls->send(s.rank + 1, after.bytes());
    return Baton(s.calls->receive(last));
  }
  for (int other = 0; other < last; ++other) s.calls->send(other, after.bytes());
  return Baton(after.bytes());
}

void Ranks::finish() {
  const State& s = state();
  if (s.calls == nullptr) return;
  // Others wait for the first one, which still draws and writes, without keeping a core busy.
  if (s.rank > 0)
    s.calls->receive(0);
  else
    for (int other = 1; other < s.count; ++other) s.calls->send(other, "");
  s.calls->finish();
}

void Ranks::abort(int status) {
  if (state().calls != nullptr) state().calls->abort(status);
  std::_Exit(status);
}

}  // namespace vprism
