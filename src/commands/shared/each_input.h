// each_input.h: the frame of a command that looks at each input by itself: open, measure, tell, write.
#pragma once

#include <string>
#include <vector>

#include "commands/shared/input.h"
#include "frame/command.h"
#include "frame/console.h"

namespace vprism {

template <typename Result>
class EachInputTask : public Task {
 public:
  explicit EachInputTask(std::string name) : name_(std::move(name)) {}
  std::size_t threads() const override { return output_.threads; }

  Status run(const std::vector<std::string>& files, const Json& settings) override {
    check_settings();
    input_.also = needed_channels();
    Console console(output_);
    Delivery delivery;
    delivery.command = name_;
    delivery.settings = settings;
    const std::vector<std::string> stems = output_stems(input_files(files, input_));
    std::vector<Result> results;
    // Kept until all is written: what is as long as the record is written in a pass of its own.
    const std::vector<std::unique_ptr<Input>> inputs = open_inputs(files, input_);
    std::vector<std::string> bases;
    for (const std::string& stem : stems) bases.push_back(stem + "-" + name_);
    const auto outputs = open_outputs(output_, name_, files, bases);
    for (const auto& input : inputs) {
      results.push_back(measure(*input, console.progress(name_ + " " + input->road().recording().file)));
      report(results.back(), delivery);
    }
    return deliver(
        delivery, output_, console, outputs.get(),
        [&](Outputs& folder) {
          for (std::size_t i = 0; i < results.size(); ++i) write(results[i], bases[i], folder);
        },
        bases.front() + ".json");
  }

 protected:
  /// What options can't say one by one. Throws Error(usage).
  virtual void check_settings() const {}
  /// Channels that are needed whichever are chosen, as names, numbers or globs.
  virtual std::vector<std::string> needed_channels() const { return {}; }
  virtual Result measure(Input& input, const Progress& progress) = 0;
  /// Text, JSON, cautions and findings.
  virtual void report(const Result& result, Delivery& delivery) = 0;
  /// Files whose names begin with `base`.
  virtual void write(Result& result, const std::string& base, Outputs& folder) = 0;

  std::string name_;
  InputSettings input_;
  OutputSettings output_;
};

}  // namespace vprism
