// mpi_ranks.cpp: ranks by MPI (the Message Passing Interface, version 3.1), as a module: see
// base/machine/ranks.h.
#define OMPI_SKIP_MPICXX 1
#include <mpi.h>

#include <algorithm>
#include <chrono>
#include <cstdint>
#include <thread>

#include "base/machine/ranks.h"

namespace vprism {

namespace {

/// A message's count is an int.
constexpr std::uint64_t most_at_once = std::uint64_t{1} << 30;

void begin(int& rank, int& count) {
  int provided = 0;
  MPI_Init_thread(nullptr, nullptr, MPI_THREAD_FUNNELED, &provided);
  MPI_Comm_rank(MPI_COMM_WORLD, &rank);
  MPI_Comm_size(MPI_COMM_WORLD, &count);
}

void send(int to, const std::string& bytes) {
  const std::uint64_t size = bytes.size();
  MPI_Send(&size, 1, MPI_UINT64_T, to, 0, MPI_COMM_WORLD);
  for (std::uint64_t at = 0; at < size; at += most_at_once)
    MPI_Send(bytes.data() + at, static_cast<int>(std::min(most_at_once, size - at)), MPI_BYTE, to, 1,
             MPI_COMM_WORLD);
}

/// Others may work for hours before they send: the library would keep a core busy with waiting.
void wait_for(int from) {
  auto pause = std::chrono::microseconds(50);
  for (int there = 0;;) {
    MPI_Iprobe(from, 0, MPI_COMM_WORLD, &there, MPI_STATUS_IGNORE);
    if (there != 0) return;
    std::this_thread::sleep_for(pause);
    pause = std::min(pause * 2, std::chrono::microseconds(5000));
  }
}

std::string receive(int from) {
  wait_for(from);
  std::uint64_t size = 0;
  MPI_Recv(&size, 1, MPI_UINT64_T, from, 0, MPI_COMM_WORLD, MPI_STATUS_IGNORE);
  std::string bytes(size, '\0');
  for (std::uint64_t at = 0; at < size; at += most_at_once)
    MPI_Recv(bytes.data() + at, static_cast<int>(std::min(most_at_once, size - at)), MPI_BYTE, from, 1,
             MPI_COMM_WORLD, MPI_STATUS_IGNORE);
  return bytes;
}

void abort_all(int status) { MPI_Abort(MPI_COMM_WORLD, status); }
void finish() { MPI_Finalize(); }

}  // namespace

extern "C" __attribute__((visibility("default"))) const RankCalls vprism_ranks;
const RankCalls vprism_ranks = {VPRISM_VERSION, begin, send, receive, abort_all, finish};

}  // namespace vprism
