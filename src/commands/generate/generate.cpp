// generate.cpp: a recording of known content, with the truth about it beside it.
// Numbers as short as they can be; libstdc++ has had what that takes since GCC 11.
#define TOML_FLOAT_CHARCONV 1
#include <fmt/format.h>
#include <toml++/toml.h>

#include <cmath>
#include <filesystem>
#include <sstream>

#include "commands/generate/live.h"
#include "commands/inspect/inspect.h"
#include "commands/shared/write_recording.h"
#include "condition/road.h"
#include "frame/command.h"
#include "frame/console.h"
#include "frame/process.h"
#include "frame/to_stdout.h"
#include "generate/generator.h"

namespace vprism {

namespace {

struct GenerateSettings {
  std::optional<double> rate_hz, duration_s, start_s, uneven;
  std::optional<std::size_t> samples, seed;
  std::string name = "generated", to, chain, live;
  WriteSettings write;
  OutputSettings output;
};

/// A whole description as a TOML file: the options of the command line under the same names, and channels.
void read_description(const std::string& path, GenerateSettings& settings,
                      std::vector<ChannelDescription>& channels) {
  toml::table table;
  try {
    table = toml::parse_file(path);
  } catch (const toml::parse_error& error) {
    throw Error(Status::usage, fmt::format("{}:{}:{}: {}", path, error.source().begin.line,
                                           error.source().begin.column, std::string(error.description())));
  }
  const auto fail = [&](const toml::node& node, const std::string& text) {
    throw Error(Status::usage, fmt::format("{}:{}: {}", path, node.source().begin.line, text));
  };
  const auto text_of = [&](const toml::node& node, std::string_view key) -> std::string {
    const auto text = node.value<std::string>();
    if (!text) fail(node, "\"" + std::string(key) + "\" must be a text, such as \"10kHz\"");
    return *text;
  };
  // What the command line gave already stays.
  const auto quantity = [&](const toml::node& node, std::string_view key, Dimension dimension,
                            std::optional<double>& target) {
    try {
      const double value = parse_quantity(text_of(node, key), dimension);
      if (!target) target = value;
    } catch (const Error& error) {
      fail(node, std::string(key) + ": " + error.what());
    }
  };
  const std::vector<std::string> known = {"rate", "duration", "samples", "start",
                                          "seed", "uneven",   "channel"};
  for (const auto& [key, node] : table) {
    const std::string_view name = key.str();
    if (name == "rate") {
      quantity(node, name, Dimension::frequency, settings.rate_hz);
    } else if (name == "duration") {
      quantity(node, name, Dimension::time, settings.duration_s);
    } else if (name == "start") {
      quantity(node, name, Dimension::time, settings.start_s);
    } else if (name == "uneven") {
      quantity(node, name, Dimension::ratio, settings.uneven);
    } else if (name == "samples" || name == "seed") {
      const auto value = node.value<std::int64_t>();
      if (!value || *value < 0) fail(node, "\"" + std::string(name) + "\" must be a whole number, 0 or more");
      auto& target = name == "samples" ? settings.samples : settings.seed;
      if (!target) target = static_cast<std::size_t>(*value);
    } else if (name == "channel") {
      const toml::array* list = node.as_array();
      if (list == nullptr || !list->is_array_of_tables()) {
        fail(node, "channels are written as [[channel]]");
        return;
      }
      for (const toml::node& entry : *list) {
        const toml::table& channel = *entry.as_table();
        ChannelDescription description;
        for (const auto& [word, value] : channel) {
          if (word == "name")
            description.name = clean_text(text_of(value, "name"));
          else if (word == "unit")
            try {
              description.unit = Unit::parse(text_of(value, "unit"));
            } catch (const Error& error) {
              fail(value, error.what());
            }
          else if (word == "signal")
            description.signal = text_of(value, "signal");
          else
            fail(value, unknown_name("key", word.str(), {"name", "unit", "signal"}));
        }
        if (description.name.empty() || description.signal.empty())
          fail(channel, "a channel needs \"name\" and \"signal\"");
        channels.push_back(std::move(description));
      }
    } else {
      fail(node, unknown_name("key", name, known));
    }
  }
}

bool is_description_file(const std::string& text) {
  return text.size() > 5 && text.compare(text.size() - 5, 5, ".toml") == 0;
}

/// A count that a description file may give instead.
Option whole_option(const char* name, const char* help, long long least, std::optional<std::size_t>& target) {
  return {name,
          "N",
          help,
          false,
          [&target, least](const std::string& t) {
            target = static_cast<std::size_t>(parse_whole_number(t, least));
          },
          [&target] { return target ? Json(*target) : Json(nullptr); }};
}

toml::array toml_list(const std::vector<double>& values) {
  toml::array out;
  for (const double value : values) out.push_back(value);
  return out;
}

/// What a recording holds, as TOML.
std::string truth_text(const GeneratorSettings& made, const std::string& chain, const std::string& file) {
  toml::table all{{"rate_hz", made.rate_hz},
                  {"samples", made.samples},
                  {"start_s", made.start_s},
                  {"seed", static_cast<std::int64_t>(made.seed)}};
  if (made.uneven > 0) all.insert("uneven", made.uneven);
  if (!chain.empty()) all.insert("chain", chain);
  toml::array channels;
  const auto truths = generator_truth(made);
  for (std::size_t c = 0; c < truths.size(); ++c) {
    const ChannelDescription& description = made.channels[c];
    toml::array terms;
    for (const Truth& truth : truths[c]) {
      toml::table term;
      for (const auto& [key, value] : truth) {
        if (const auto* list = std::get_if<std::vector<double>>(&value))
          term.insert(key, toml_list(*list));
        else if (const auto* number = std::get_if<double>(&value))
          term.insert(key, *number);
        else
          term.insert(key, std::get<std::string>(value));
      }
      terms.push_back(std::move(term));
    }
    channels.push_back(toml::table{{"name", description.name},
                                   {"unit", description.unit.text()},
                                   {"signal", description.signal},
                                   {"term", std::move(terms)}});
  }
  all.insert("channel", std::move(channels));
  std::ostringstream out;
  out << "# What " << file << " holds; made by Vast Prism " << version() << ".\n" << all << "\n";
  return out.str();
}

class GenerateTask : public Task {
 public:
  std::vector<OptionGroup> options() override {
    GenerateSettings& s = settings_;
    return {{"Generate",
             {quantity_option("rate", "F", "samples per second (needed)", Dimension::frequency, s.rate_hz),
              quantity_option("duration", "T", "length of the record (this or --samples is needed)",
                              Dimension::time, s.duration_s),
              whole_option("samples", "length of the record in samples", 1, s.samples),
              {"start", "T", "time of the first sample (default: 0 s)", false,
               [&s](const std::string& t) { s.start_s = parse_quantity(t, Dimension::time); },
               [&s] { return s.start_s ? Json(*s.start_s) : Json(nullptr); }},
              whole_option("seed", "choice of the random numbers (default: 1)", 0, s.seed),
              quantity_option("uneven", "SHARE",
                              "stamps that stray by up to this share of an interval, such as 30%",
                              Dimension::ratio, s.uneven),
              text_option("name", "NAME", "of the output files (default: generated)", s.name),
              format_option(s.to, "format to write (default: csv)"),
              numbers_option(s.write),
              {"live", "stdout|tcp:PORT",
               "send the signal at its true rate instead of writing it, as a device would: lines of text or, "
               "with "
               "--to binary, frames of flat numbers",
               false,
               [&s](const std::string& t) {
                 check_live(t);
                 s.live = t;
               },
               [&s] { return Json(s.live); }},
              {"chain", "STEPS", "conditioning steps for all channels", false,
               [&s](const std::string& t) {
                 parse_chain(t);
                 s.chain = t;
               },
               [&s] { return Json(s.chain); }}}},
            output_group(settings_.output)};
  }
  std::size_t threads() const override { return settings_.output.threads; }

  Status run(const std::vector<std::string>& inputs, const Json&) override {
    GeneratorSettings made;
    GenerateSettings& s = settings_;
    for (const std::string& input : inputs) {
      if (is_description_file(input)) {
        if (!std::filesystem::exists(input))
          throw Error(Status::usage, input + ": no such file; check the name");
        read_description(input, s, made.channels);
      } else {
        made.channels.push_back(parse_channel_description(input));
      }
    }
    if (!s.rate_hz || !(*s.rate_hz > 0))
      throw Error(Status::usage, "--rate is missing: say how many samples a second, such as --rate 10kHz");
    if (s.duration_s && s.samples &&
        *s.samples != static_cast<std::size_t>(std::llround(*s.duration_s * *s.rate_hz)))
      throw Error(Status::usage, "--duration and --samples disagree; give one of them");
    if (!s.duration_s && !s.samples)
      throw Error(Status::usage, "--duration is missing: say how long, such as --duration 10s");
    const double wanted =
        s.samples ? static_cast<double>(*s.samples) : std::round(*s.duration_s * *s.rate_hz);
    if (!(wanted >= 1) || wanted > 1e12)
      throw Error(Status::usage, "--duration: " + format_number(wanted) + " samples would come out");
    made.rate_hz = *s.rate_hz;
    made.samples = static_cast<std::int64_t>(wanted);
    made.start_s = s.start_s.value_or(0);
    made.seed = s.seed.value_or(1);
    made.uneven = s.uneven.value_or(0);
    if (!(made.uneven >= 0 && made.uneven < 0.5))
      throw Error(Status::usage,
                  "--uneven must be at least 0 and less than 50%, or samples would change places");

    Console console(s.output);
    const WriteFormat& format = find_write_format(s.to.empty() ? "csv" : s.to);
    Road road(make_generator(made), s.chain.empty() ? Chain() : parse_chain(s.chain));
    road.resolve();
    if (!s.live.empty()) {
      if (made.uneven > 0)
        throw Error(Status::usage, "--uneven: a device that is stood in for has an even rate");
      if (!s.to.empty() && s.to != "csv" && s.to != "binary")
        throw Error(Status::usage, "--live sends csv or binary, not " + clean_text(s.to));
      send_live(road, s.live, s.to == "binary" ? s.write.numbers : "");
      return Status::done;
    }
    const StdoutFolder out(settings_.output);
    Outputs folder(s.output, "generate");
    for (const std::string& input : inputs)
      if (is_description_file(input)) folder.protect(input);
    const std::string stem = clean_file_name(s.name);
    std::vector<std::string> names = names_written(stem, format);
    names.push_back(stem + "-truth.toml");
    folder.expect(names);
    const Recording recording = road.recording();
    const WrittenRecording written =
        write_recording(road, folder, stem, format, s.write, console.progress("generate"));
    folder.add(stem + "-truth.toml", truth_text(made, s.chain, written.names.front()), "the truth about it");

    Delivery delivery;
    delivery.command = "generate";
    delivery.settings = settings_json(options());  // With what the description files gave.
    delivery.cautions = written.cautions;
    for (const Channel& channel : recording.channels)
      delivery.results.push_back({{"channel", channel.name},
                                  {"unit", channel.unit.label()},
                                  {"rate_hz", number(recording.axis.rate_hz())},
                                  {"samples", recording.samples},
                                  {"written", folder.path_of(written.names.front())}});
    for (const Caution& caution : delivery.cautions) console.caution(caution);
    std::string shown = recording_lines(recording);
    for (const auto& entry : folder.entries()) shown += "  -> " + entry.file + "\n";
    if (s.output.json) shown = delivery.document_text(folder.entries_with_digests());
    folder.commit();
    console.clear();
    if (out)
      out.send(written.names);
    else
      say(shown);
    return Status::done;
  }

 private:
  GenerateSettings settings_;
};

}  // namespace

std::unique_ptr<Task> make_generate_task() { return std::make_unique<GenerateTask>(); }

}  // namespace vprism
