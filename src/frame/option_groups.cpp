// option_groups.cpp: see option_groups.h.
#include "frame/option_groups.h"

#include <algorithm>
#include <cctype>
#include <memory>

#include "base/error.h"
#include "base/text.h"
#include "condition/computed/computed_steps.h"
#include "frame/style_file.h"

namespace vprism {

std::size_t choice(const std::string& what, const std::string& text, const std::vector<std::string>& names) {
  for (std::size_t i = 0; i < names.size(); ++i)
    if (text == names[i]) return i;
  throw Error(Status::usage, unknown_name(what, text, names));
}

std::vector<CalibrationRule> InputSettings::rules() const {
  std::vector<CalibrationRule> out;
  for (const std::string& text : calibrations) out.push_back(parse_calibration_rule(text));
  return out;
}

std::vector<std::string> InputSettings::wanted_channels() const {
  std::vector<std::string> out = channels;
  if (!out.empty()) out.insert(out.end(), also.begin(), also.end());
  return out;
}

Chain InputSettings::make_chain() const {
  Chain all;
  if (!calibrations.empty()) all.push_back(make_calibrate_stage(rules()));
  if (!units.empty()) {
    std::vector<UnitRule> unit_rules;
    for (const std::string& text : units) unit_rules.push_back(parse_unit_rule(text));
    all.push_back(make_unit_stage(std::move(unit_rules)));
  }
  if (!computes.empty()) {
    std::vector<ComputeRule> compute_rules;
    for (const std::string& text : computes) compute_rules.push_back(parse_compute_rule(text));
    for (auto& stage : make_compute_stages(std::move(compute_rules), wanted_channels()))
      all.push_back(std::move(stage));
  }
  if (!chain.empty()) {
    Chain steps;
    try {
      steps = parse_chain(chain);
    } catch (const Error& error) {
      throw Error(error.status(), std::string("--chain: ") + error.what());
    }
    for (auto& step : steps) all.push_back(std::move(step));
  }
  if (gate) all.push_back(make_gate_stage(*gate));
  return all;
}

namespace {

std::string upper_case(std::string text) {
  std::transform(text.begin(), text.end(), text.begin(),
                 [](unsigned char c) { return static_cast<char>(std::toupper(c)); });
  return text;
}

}  // namespace

Option unit_option(InputSettings& s, const std::string& thing) {
  return {"unit",
          "'" + upper_case(thing) + ": UNIT'",
          "convert " + thing + "s to another unit, such as 'acc*: m/s^2'; may be repeated",
          true,
          [&s](const std::string& t) {
            (void)parse_unit_rule(t);
            s.units.push_back(t);
          },
          [&s] { return Json(s.units); }};
}

Option calibrate_option(InputSettings& s, const std::string& thing) {
  return {"calibrate",
          "'" + upper_case(thing) + ": STEPS'",
          "turn stored numbers into the physical unit: probe 10, gain 20 dB, offset -2.5 V, sensitivity 100 "
          "mV/g, linear A B UNIT, two-point X=Y X=Y UNIT, table X=Y X=Y ... UNIT, unit UNIT; steps separated "
          "by commas; may be repeated",
          true,
          [&s](const std::string& t) {
            (void)parse_calibration_rule(t);
            s.calibrations.push_back(t);
          },
          [&s] { return Json(s.calibrations); }};
}

OptionGroup input_group(InputSettings& s) {
  const auto one_rate = [&s] {
    if (int(s.read.rate_hz.has_value()) + int(s.read.interval_s.has_value()) +
            int(s.read.duration_s.has_value()) >
        1)
      throw Error(Status::usage, "only one of --rate, --interval and --duration can be given");
  };
  const auto rate_like = [&](const char* name, const char* value, const char* help, Dimension dimension,
                             std::optional<double>& target) {
    Option option = quantity_option(name, value, help, dimension, target);
    option.set = [set = option.set, one_rate](const std::string& text) {
      set(text);
      one_rate();
    };
    return option;
  };
  std::string steps;
  for (const StageEntry& entry : stage_table())
    steps += (steps.empty() ? "" : ", ") + std::string(entry.name);
  return {
      "Input",
      {{"channel", "NAME|NUMBER|GLOB", "channel to take; may be repeated (default: all)", true,
        [&s](const std::string& t) { s.channels.push_back(t); }, [&s] { return Json(s.channels); }},
       rate_like("rate", "FREQUENCY", "samples per second, such as 48kHz", Dimension::frequency,
                 s.read.rate_hz),
       rate_like("interval", "TIME", "time between samples, such as 20us", Dimension::time,
                 s.read.interval_s),
       rate_like("duration", "TIME", "time of the whole record, samples times interval", Dimension::time,
                 s.read.duration_s),
       text_option("axis", "COLUMN|none", "column that holds the times: its title or number (default: found)",
                   s.read.axis),
       {"binary", "LAYOUT",
        "read the file as flat numbers: TYPE[:Nch][:sequential][:skip=BYTES], TYPE one of u8 i8, or u16 i16 "
        "u32 i32 u64 i64 f16 f32 f64 with le or be, such as f32le:2ch",
        false,
        [&s](const std::string& t) {
          check_binary_layout(t);
          s.read.binary = t;
        },
        [&s] { return Json(s.read.binary); }},
       text_option("part", "NAME|NUMBER",
                   "which recording to take from a file that holds several (inspect lists them)",
                   s.read.part),
       {"join", "channels|time", "take all files as one recording: side by side, or one after another", false,
        [&s](const std::string& t) {
          s.join = static_cast<InputSettings::Join>(1 + choice("way to join", t, {"channels", "time"}));
        },
        [&s] {
          return Json(s.join == InputSettings::Join::no         ? ""
                      : s.join == InputSettings::Join::channels ? "channels"
                                                                : "time");
        }},
       {"axis-scale", "'FACTOR UNIT'", "what one unit of the file's axis stands for, such as '1 ms'", false,
        [&s](const std::string& t) { s.axis_scale = parse_axis_scale(t), s.read.axis_scaled = true; },
        [&s] { return Json(s.axis_scale ? s.axis_scale->text : ""); }},
       {"delay-line",
        "UNIT",
        "the axis is a stage position in UNIT whose light path is twice as long: time = 2 x / c",
        false,
        [&s](const std::string& t) { s.axis_scale = parse_delay_line(t); },
        {}},
       {"missing", "error|gap|interpolate",
        "what to do about cells of a text table without a number (default: error)", false,
        [&s](const std::string& t) {
          s.read.missing = static_cast<ReadSettings::Missing>(
              choice("way to treat missing cells", t, {"error", "gap", "interpolate"}));
        },
        [&s] {
          static constexpr const char* names[] = {"error", "gap", "interpolate"};
          return Json(names[static_cast<std::size_t>(s.read.missing)]);
        }},
       {"missing-value", "NUMBER|none",
        "a number that stands for missing in the file, such as -9999; may be repeated; none: nothing does "
        "(default: found where it lies far from all else)",
        true,
        [&s](const std::string& t) {
          if (t == "none")
            s.missing_marks.find = false;
          else
            s.missing_marks.given.push_back(parse_any_quantity(t).value);
        },
        [&s] {
          Json all = Json::array();
          for (const double value : s.missing_marks.given) all.push_back(value);
          if (!s.missing_marks.find) all.push_back("none");
          return all;
        }},
       {"complex", "auto|off|pairs",
        "columns of a text table that are real and imaginary parts, or magnitudes and phases, as complex "
        "channels: "
        "where their titles say so (auto, the default), never, or each two in order",
        false,
        [&s](const std::string& t) {
          (void)choice("complex", t, {"auto", "off", "pairs"});
          s.read.complex = t;
        },
        [&s] { return Json(s.read.complex); }},
       switch_option("rows",
                     "each row of a text table is a channel (default: found where rows are long and few)",
                     s.read.rows),
       switch_option("no-rows", "each row of a text table is a sample of all channels", s.read.no_rows),
       {"samples-along", "N",
        "dimension of an array, from 1, that its samples run along; the others are channels (default: found)",
        false,
        [&s](const std::string& t) {
          s.read.samples_along = static_cast<std::size_t>(parse_whole_number(t, 1));
        },
        [&s] { return s.read.samples_along > 0 ? Json(s.read.samples_along) : Json(nullptr); }},
       {"header-rows", "N", "lines above the first row of numbers of a text table (default: found)", false,
        [&s](const std::string& t) {
          s.read.header_rows = static_cast<std::size_t>(parse_whole_number(t, 0));
        },
        [&s] { return s.read.header_rows ? Json(*s.read.header_rows) : Json(nullptr); }},
       {"delimiter", "comma|semicolon|tab|blank|bar|CHARACTER",
        "what parts the cells of a text table (default: found)", false,
        [&s](const std::string& t) {
          static const std::vector<std::pair<std::string, char>> known = {
              {"comma", ','}, {"semicolon", ';'}, {"tab", '\t'}, {"blank", ' '}, {"bar", '|'}};
          s.read.delimiter = t.size() == 1 ? t[0] : '\0';
          for (const auto& [name, mark] : known)
            if (t == name) s.read.delimiter = mark;
          if (s.read.delimiter == 0)
            throw Error(Status::usage,
                        unknown_name("delimiter", t, {"comma", "semicolon", "tab", "blank", "bar"}));
        },
        [&s] { return s.read.delimiter == 0 ? Json("") : Json(std::string(1, s.read.delimiter)); }},
       {"decimal", "point|comma", "decimal mark of a text table (default: found)", false,
        [&s](const std::string& t) {
          s.read.decimal = choice("decimal mark",
                                  t == "."   ? "point"
                                  : t == "," ? "comma"
                                             : t,
                                  {"point", "comma"}) == 0
                               ? '.'
                               : ',';
        },
        [&s] { return s.read.decimal == 0 ? Json("") : Json(std::string(1, s.read.decimal)); }},
       text_option("columns", "LIST",
                   "columns of a text table to take, by title or number, such as 2,4..6 (default: all)",
                   s.read.columns),
       {"allow-external", "FILE",
        "let an HDF5 file take numbers from this other file that it names; may be repeated (default: none)",
        true, [&s](const std::string& t) { s.read.allow_external.push_back(t); },
        [&s] { return Json(s.read.allow_external); }},
       switch_option("primary", "COMTRADE values as on the primary side of the instrument transformers",
                     s.read.primary),
       unit_option(s, "channel"),
       calibrate_option(s, "channel"),
       {"chain", "'STEP | STEP'",
        "condition before analysis: " + steps + "; vprism --help chain lists their values", false,
        [&s](const std::string& t) {
          (void)parse_chain(t);
          s.chain = t;
        },
        [&s] { return Json(s.chain); }},
       {"compute", "'NAME (UNIT) = EXPRESSION'",
        "a channel computed from others, such as 'power (W) = \"phase U\" * current'; numbers take a unit "
        "behind a "
        "blank: 9.81 m/s^2; units follow and are checked; may be repeated",
        true,
        [&s](const std::string& t) {
          (void)parse_compute_rule(t);
          s.computes.push_back(t);
        },
        [&s] { return Json(s.computes); }},
       range_option("gate", "part of the record to analyse, such as 0.2s..1.5s", Dimension::time, s.gate)},
      true};
}

OptionGroup output_group(OutputSettings& s) {
  const auto style = std::make_shared<std::string>();
  static const std::vector<std::string> figures = {"png", "svg", "pdf", "data", "terminal", "none"};
  return {
      "Output",
      {{"out", "DIR|-",
        "folder for the output files (default: vprism-out); - is standard output: of convert and "
        "generate the "
        "recording, of others the result document",
        false,
        [&s](const std::string& t) {
          if (t.empty()) throw Error(Status::usage, "a folder must be named");
          s.to_stdout = t == "-", s.folder_given = !s.to_stdout;
          if (s.to_stdout)
            s.json = true;
          else
            s.folder = t;
        },
        [&s] { return Json(s.to_stdout ? "-" : s.folder); }},
       {"json",
        "",
        "print the result document instead of the table; files are then only written with --out",
        false,
        [&s](const std::string&) { s.json = true; },
        {}},
       {"figure", "png|svg|pdf|data|terminal|none",
        "kind of figure; data: what it is drawn from, as JSON; terminal: as text, below the table (default: "
        "png)",
        false,
        [&s](const std::string& t) {
          const std::size_t i = choice("kind of figure", t, figures);
          s.figure = i >= 4 ? std::nullopt : std::optional(static_cast<Picture>(i));
          s.figures_as_text = i == 4;
        },
        [&s] {
          return Json(figures[s.figure ? static_cast<std::size_t>(*s.figure) : s.figures_as_text ? 4 : 5]);
        }},
       {"style", "journal|FILE.toml",
        "how figures look: journal is a column of 85 mm for print; a file says width, height, dpi, font, "
        "font_scale, line_scale and colours (default: 1280 pixels wide)",
        false,
        [style](const std::string& t) {
          FigureStyle read = read_style(t);
          read.name = t;
          set_figure_style(std::move(read));
          *style = t;
        },
        [style] { return Json(*style); }},
       {"force",
        "",
        "replace outputs that are there already",
        false,
        [&s](const std::string&) { s.force = true; },
        {}},
       {"threads",
        "N",
        "threads to use (default: all cores); results do not depend on it",
        false,
        [&s](const std::string& t) {
          const long long threads = parse_whole_number(t, 1);
          if (threads > 1024) throw Error(Status::usage, "at most 1024 can be asked for");
          s.threads = static_cast<std::size_t>(threads);
        },
        {}},
       {"quiet",
        "",
        "no cautions and no progress on standard error",
        false,
        [&s](const std::string&) { s.quiet = true; },
        {}},
       {"progress",
        "auto|on|off",
        "progress on standard error (default: auto, on a terminal)",
        false,
        [&s](const std::string& t) {
          choice("progress", t, {"auto", "on", "off"});
          s.progress = t;
        },
        {}}},
      true};
}

}  // namespace vprism
