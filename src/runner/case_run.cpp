// case_run.cpp: see case_run.h.
#include "runner/case_run.h"

#include <algorithm>
#include <condition_variable>
#include <exception>
#include <mutex>
#include <thread>

#include "base/error.h"
#include "base/text.h"

namespace vprism {

void run_side_by_side(std::size_t count, std::size_t threads, const std::function<bool(std::size_t)>& ready,
                      const std::function<void(std::size_t)>& work) {
  std::mutex lock;
  std::condition_variable changed;
  std::vector<bool> begun(count, false);
  std::size_t left = count, running = 0;
  std::exception_ptr failure;
  const auto serve = [&] {
    std::unique_lock guard(lock);
    for (;;) {
      if (left == 0 || failure) return;
      std::size_t next = count;
      for (std::size_t i = 0; i < count && next == count; ++i)
        if (!begun[i] && ready(i)) next = i;
      if (next == count) {
        if (running == 0) return;  // Nothing that could make more ready.
        changed.wait(guard);
        continue;
      }
      begun[next] = true, --left, ++running;
      guard.unlock();
      std::exception_ptr thrown;
      try {
        work(next);
      } catch (...) {
        thrown = std::current_exception();
      }
      guard.lock();
      --running;
      if (thrown && !failure) failure = thrown;
      changed.notify_all();
    }
  };
  std::vector<std::thread> others;
  try {
    for (std::size_t t = 1; t < std::min(threads, count); ++t) others.emplace_back(serve);
  } catch (const std::system_error&) {
    // With as many as the system gives.
  }
  serve();
  for (std::thread& other : others) other.join();
  if (failure) std::rethrow_exception(failure);
}

std::vector<StepResult> run_steps(const Case& value, const std::vector<std::string>& only,
                                  const KeptPlace& place, DigestBook& digests, std::size_t side_by_side,
                                  const StepProgress& progress) {
  std::vector<StepResult> results(value.steps.size());
  std::vector<std::string> names;
  for (const CaseStep& step : value.steps) names.push_back(step.name);
  const auto index = [&](const std::string& name) {
    return static_cast<std::size_t>(std::find(names.begin(), names.end(), name) - names.begin());
  };
  for (std::size_t i = 0; i < results.size(); ++i) {
    results[i].step = &value.steps[i];
    results[i].asked_for = only.empty();
  }
  for (const std::string& name : only) {
    if (index(folder_name(name)) == names.size())
      throw Error(Status::usage, "--only: " + unknown_name("step", name, names));
    results[index(folder_name(name))].asked_for = true;
  }
  // Those before stand before in the list.
  for (std::size_t i = results.size(); i-- > 0;)
    if (results[i].asked_for)
      for (const std::string& name : value.steps[i].after) results[index(name)].asked_for = true;
  std::vector<std::size_t> list;
  for (std::size_t i = 0; i < results.size(); ++i)
    if (results[i].asked_for) list.push_back(i);

  std::mutex lock;
  std::vector<bool> ended(results.size(), false);
  std::size_t done = 0;
  run_side_by_side(
      list.size(), side_by_side,
      [&](std::size_t k) {
        const std::lock_guard guard(lock);
        const auto& after = value.steps[list[k]].after;
        return std::all_of(after.begin(), after.end(),
                           [&](const std::string& name) { return ended[index(name)]; });
      },
      [&](std::size_t k) {
        const CaseStep& step = value.steps[list[k]];
        StepResult& result = results[list[k]];
        KeptRun run{step.name, step.command, step.inputs, step.options, step.files, {}};
        for (const std::string& name : step.after) {
          const StepResult& before = results[index(name)];
          run.keys.push_back(before.kept.key);
          if (!before.why_not.empty() || !before.kept.done())
            result.why_not = "step \"" + name + "\", which it takes something from, has failed";
        }
        if (result.why_not.empty()) {
          try {
            result.kept = run_kept(run, place, digests);
          } catch (const Error& error) {
            throw Error(error.status(), "step \"" + step.name + "\": " + error.what());
          }
        }
        const std::lock_guard guard(lock);
        ended[list[k]] = true;
        ++done;
        if (progress) progress(done, list.size(), result);
      });
  return results;
}

}  // namespace vprism
