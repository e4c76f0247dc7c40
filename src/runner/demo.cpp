// demo.cpp: writes the demo case to a folder and runs it.
#include <filesystem>

#include "base/error.h"
#include "formats/files/output_folder.h"
#include "frame/command.h"
#include "runner/case.h"
#include "tern_point.h"

namespace vprism {

namespace {

class DemoTask : public Task {
 public:
  DemoTask() { settings_.output.folder = "tern-point"; }
  std::vector<OptionGroup> options() override { return {output_group(settings_.output)}; }
  std::size_t threads() const override { return settings_.output.threads; }

  Status run(const std::vector<std::string>&, const Json&) override {
    const std::filesystem::path folder = settings_.output.folder;
    {
      OutputFolder data(folder.string(), settings_.output.force, "demo");
      for (const demo::DemoFile& file : demo::make_files()) data.add(file.name, file.bytes, "demo data");
      data.commit();
    }
    {
      OutputFolder copy(folder.string(), settings_.output.force, "demo");
      demo::write_daq_copy((folder / "mount-daq.wav").string(), copy.place("mount-daq.h5", "demo data"));
      demo::write_dome_tilt(copy.place("dome-tilt.h5", "demo data"));
      demo::write_cell_field(copy.place("cell-field.h5", "demo data"));
      copy.commit();
    }
    settings_.output.folder = (folder / "report").string();
    const Status status = run_case((folder / "tern-point.toml").string(), settings_);
    // The mirror cell breaks its limit: that is what the case is about.
    return status == Status::check_failed ? Status::done : status;
  }

 private:
  CaseTaskSettings settings_;
};

}  // namespace

std::unique_ptr<Task> make_demo_task() { return std::make_unique<DemoTask>(); }

}  // namespace vprism
