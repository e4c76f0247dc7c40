// convert.cpp: reads any format, calibrates, conditions, and writes an open format.
#include "base/error.h"
#include "base/text.h"
#include "cli/command.h"
#include "cli/console.h"
#include "cli/input.h"
#include "cli/inspect.h"
#include "formats/writer.h"

namespace vprism {

namespace {

struct ConvertSettings {
  InputSettings input;
  OutputSettings output;
  std::string to;
  WriteSettings write;
};

std::string format_names() {
  std::string out;
  for (const WriteFormat& format : write_format_table())
    out += (out.empty() ? "" : "|") + std::string(format.name);
  return out;
}

class ConvertTask : public Task {
 public:
  std::vector<OptionGroup> options() override {
    return {input_group(settings_.input),
            {"Convert",
             {{"to", format_names(), "format to write (needed)", false,
               [this](const std::string& t) { settings_.to = find_write_format(t).name; },
               [this] { return Json(settings_.to); }},
              {"numbers", "f64|f32|i16|i24|i32",
               "type of the numbers where the format leaves a choice (default: f64, exact)", false,
               [this](const std::string& t) {
                 const std::vector<std::string> known = {"f64", "f32", "i16", "i24", "i32"};
                 if (std::find(known.begin(), known.end(), t) == known.end())
                   throw Error(Status::usage, unknown_name("number type", t, known));
                 settings_.write.numbers = t;
               },
               [this] { return Json(settings_.write.numbers); }}}},
            output_group(settings_.output)};
  }
  std::size_t threads() const override { return settings_.output.threads; }

  Status run(const std::vector<std::string>& files, const Json& settings) override {
    if (settings_.to.empty())
      throw Error(Status::usage, "--to is missing: name the format to write, one of " + format_names());
    const WriteFormat& format = find_write_format(settings_.to);
    Console console(settings_.output);
    Telling telling;
    telling.command = "convert";
    telling.settings = settings;
    OutputFolder folder(settings_.output.folder, settings_.output.force);
    for (const std::string& file : files) folder.protect(file);
    const std::vector<std::string> stems = output_stems(input_files(files, settings_.input));
    std::size_t index = 0;
    for (auto& input : open_inputs(files, settings_.input)) {
      Road& road = input->road();
      road.resolve();
      const Recording recording = road.recording();
      std::vector<std::string> names = {stems[index] + format.ending}, paths;
      if (*format.second != '\0') names.push_back(stems[index] + format.second);
      const std::string what = std::to_string(recording.channels.size()) +
                               (recording.channels.size() == 1 ? " channel, " : " channels, ") +
                               std::to_string(recording.samples) + " samples";
      for (const std::string& name : names) paths.push_back(folder.place(name, what));
      const auto writer = format.open(paths, recording, settings_.write);
      road.run([&](Block& block) { writer->add(block); }, console.progress("convert " + recording.file));
      writer->finish();
      telling.inputs.push_back(input->facts());
      const Recording& read = telling.inputs.back().recording;
      telling.cautions.insert(telling.cautions.end(), read.cautions.begin(), read.cautions.end());
      for (Caution& caution : writer->cautions()) telling.cautions.push_back(std::move(caution));
      telling.results.push_back(
          {{"file", recording.file}, {"written", folder.path_of(names.front())}, {"format", format.name}});
      telling.text += recording_lines(read);
      for (const std::string& name : names) telling.text += "  -> " + folder.path_of(name) + "\n";
      ++index;
    }
    for (const Caution& caution : telling.cautions) console.caution(caution);
    const std::string shown = settings_.output.json ? telling.document_text(folder.entries()) : telling.text;
    folder.commit();
    console.clear();
    std::fwrite(shown.data(), 1, shown.size(), stdout);
    return Status::done;
  }

 private:
  ConvertSettings settings_;
};

}  // namespace

std::unique_ptr<Task> make_convert_task() { return std::make_unique<ConvertTask>(); }

}  // namespace vprism
