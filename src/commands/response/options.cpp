// options.cpp: the command `response`.
#include <fmt/format.h>

#include "base/error.h"
#include "base/text.h"
#include "base/units/quantity.h"
#include "commands/response/response.h"
#include "commands/shared/each_input.h"
#include "commands/shared/stored_spectrum.h"
#include "commands/shared/write_recording.h"

namespace vprism {

namespace {

class ResponseTask : public EachInputTask<ResponseResult> {
 public:
  ResponseTask() : EachInputTask("response") {}

  std::vector<OptionGroup> options() override {
    AnalysisSettings& analysis = analysis_;
    OptionGroup cut = analysis_group(analysis);
    std::erase_if(cut.options, [](const Option& o) {
      return o.name != "window" && o.name != "resolution" && o.name != "segment" && o.name != "overlap";
    });
    cut.title = "Segments (noise)";
    for (Option& o : cut.options)
      if (o.name == "segment")
        o.help =
            "samples per segment, or after each blow (default: a tenth of the record; up to the next blow)";
    return {
        input_group(input_),
        {"Response",
         {{"reference", "CHANNEL",
           "what the others are divided by (default: the channels of force); several are separated", true,
           [this](const std::string& t) { settings_.references.push_back(t); },
           [this] { return Json(settings_.references); }},
          {"reference-file", "FILE",
           "divide by another recording, made without the sample, each on its own times (a delay line and "
           "uneven "
           "steps too): ratio, phase, delay, usable band",
           false, [this](const std::string& text) { settings_.reference_file = text; },
           [this] { return Json(settings_.reference_file); }},
          {"thickness", "LENGTH", "of the sample as a slab: refractive index and absorption over frequency",
           false,
           [this](const std::string& text) {
             settings_.thickness_m = parse_positive(text, Dimension::length);
           },
           [this] { return settings_.thickness_m ? Json(*settings_.thickness_m) : Json(nullptr); }},
          {"excitation", "auto|noise|sweep|multi-sine|blows|transient|step|impulse",
           "how the reference drives: noise (averaged segments), a sweep, what repeats (averaged periods), "
           "blows of a hammer, a transient within the record, a step; impulse: the channels are impulse "
           "responses, there is no reference (default: found)",
           false,
           [this](const std::string& t) {
             settings_.excitation = static_cast<Excitation>(choice("excitation", t, excitation_names));
           },
           [this] { return Json(excitation_names[static_cast<std::size_t>(settings_.excitation)]); }},
          {"estimator", "h1|h2|hv",
           "where the noise is: on the response (h1), on the reference (h2), on both (hv); default h1", false,
           [this](const std::string& t) { settings_.estimator = parse_response_estimator(t); },
           [this] { return Json(response_estimator_name(settings_.estimator)); }},
          switch_option("output-only", "no reference was recorded: resonances from what the channels share",
                        settings_.output_only),
          range_option("span",
                       "where resonances are sought and drawn (default: where the reference has energy)",
                       Dimension::frequency, settings_.span),
          {"at", "F,...", "list gain and phase at these frequencies, read between the points", true,
           [this](const std::string& text) {
             for (const std::string& f : split(text, ','))
               settings_.transfer.at_hz.push_back(parse_positive(trimmed(f), Dimension::frequency));
           },
           [this] { return Json(settings_.transfer.at_hz); }},
          {"phase", "wrapped|unwrapped",
           "phases from -180 to 180 degrees, or going on without jumps of whole turns (default: wrapped)",
           false,
           [this](const std::string& text) {
             settings_.transfer.unwrapped = choice("phase", text, {"wrapped", "unwrapped"}) == 1;
           },
           [this] { return Json(settings_.transfer.unwrapped ? "unwrapped" : "wrapped"); }},
          {"input-density", "X",
           "RMS of every response to random input of this one-sided density, in the input's unit squared per "
           "hertz, over the span",
           false,
           [this](const std::string& text) {
             const double density = parse_any_quantity(text).value;
             if (!(density > 0)) throw Error(Status::usage, "a density lies above zero");
             settings_.transfer.input_density = density;
           },
           [this] {
             return settings_.transfer.input_density ? Json(*settings_.transfer.input_density)
                                                     : Json(nullptr);
           }},
          {"no-resonances", "", "make the ratios alone", false,
           [this](const std::string&) { settings_.resonances = false; },
           [this] { return Json(!settings_.resonances); }},
          count_option("max-order", "highest order of the stabilisation chart (default: 40)", 4, 200,
                       settings_.search.most_order),
          {"also", "FORMAT,...",
           "write the ratios in these formats too: universal, universal-text, hdf5, npy", true,
           [this](const std::string& t) {
             for (const std::string& name : split(t, ',')) {
               const WriteFormat& format = find_write_format(name);
               if (std::string_view(format.name) != "universal" &&
                   std::string_view(format.name) != "universal-text" &&
                   std::string_view(format.name) != "hdf5" && std::string_view(format.name) != "npy")
                 throw Error(Status::usage,
                             "ratios over frequency are written as universal, universal-text, hdf5 or npy");
               also_.push_back(name);
             }
           },
           [this] { return Json(also_); }}}},
        {"Blows",
         {{"blow-level", "FORCE", "force that a blow exceeds (default: found)", false,
           [this](const std::string& t) { settings_.blows.level = parse_any_quantity(t).value; },
           [this] { return settings_.blows.level ? Json(*settings_.blows.level) : Json(nullptr); }},
          {"double-hits", "reject|keep", "blows that hit twice (default: reject)", false,
           [this](const std::string& t) {
             settings_.blows.keep_doubles = choice("double-hits", t, {"reject", "keep"}) == 1;
           },
           [this] { return Json(settings_.blows.keep_doubles ? "keep" : "reject"); }},
          {"force-window", "on|off", "leave out what the force channel shows beside the blow (default: on)",
           false,
           [this](const std::string& t) {
             settings_.blows.force_window = choice("force-window", t, {"on", "off"}) == 0;
           },
           [this] { return Json(settings_.blows.force_window ? "on" : "off"); }},
          {"decay-to", "PERCENT",
           "what an exponential window has fallen to at a segment's end; 100%: none (default: 1% where "
           "responses still ring); its part of the damping is taken off",
           false,
           [this](const std::string& t) {
             const double share = parse_quantity(t, Dimension::ratio);
             if (!(share > 0 && share <= 1)) throw Error(Status::usage, "must lie above 0% and up to 100%");
             settings_.blows.decay_to = share;
           },
           [this] { return settings_.blows.decay_to ? Json(*settings_.blows.decay_to) : Json(nullptr); }}}},
        cut,
        output_group(output_)};
  }

 protected:
  std::vector<std::string> needed_channels() const override { return settings_.references; }

  void check_settings() const override {
    if (settings_.thickness_m && settings_.reference_file.empty())
      throw Error(Status::usage,
                  "--thickness needs a recording without the sample: name it with --reference-file");
    if (settings_.output_only &&
        (!settings_.references.empty() || settings_.excitation != Excitation::automatic))
      throw Error(
          Status::usage,
          "--output-only has neither reference nor excitation; leave out --reference and --excitation");
    if (settings_.excitation == Excitation::impulse && !settings_.references.empty())
      throw Error(Status::usage,
                  "--excitation impulse has no reference; leave out --reference, or name another excitation");
    const Excitation kind = settings_.excitation;
    const bool segments =
        kind == Excitation::automatic || kind == Excitation::noise || kind == Excitation::blows;
    const SpectrumSettings& cut = analysis_.spectrum;
    if (!segments && (cut.segment || cut.resolution_hz || cut.window.kind != WindowKind::hann))
      throw Error(Status::usage,
                  "--excitation " + excitation_names[static_cast<std::size_t>(kind)] +
                      " has no windowed segments; leave out --segment, --resolution and --window");
    if (settings_.output_only && !settings_.resonances)
      throw Error(Status::usage, "--output-only makes nothing but resonances; leave out --no-resonances");
    if (!analysis_.compared.empty()) throw Error(Status::usage, "--window: ratios are made with one window");
    if (settings_.output_only && !also_.empty())
      throw Error(Status::usage, "--also: --output-only makes no ratios");
  }

  ResponseResult measure(Input& input, const Progress& progress) override {
    if (!settings_.reference_file.empty()) {
      ResponseTask usual;
      refuse_others(
          options(), usual.options(), {"reference-file", "thickness", "at", "phase"},
          "--reference-file divides one whole recording by another; --gate and --chain hold for both");
      const auto reference = open_inputs({settings_.reference_file}, input_);
      ResponseResult out;
      out.transmission = compute_transmission(input, *reference.front(), settings_.thickness_m, progress);
      return out;
    }
    if (holds_spectra(input)) return stored(input);
    settings_.spectrum = analysis_.spectrum;
    if (analysis_.spectrum.segment) settings_.blows.segment = analysis_.spectrum.segment;
    return compute_response(input, settings_, progress);
  }

  void report(const ResponseResult& result, Delivery& delivery) override {
    report_response(result, settings_, delivery);
  }

  void write(ResponseResult& result, const std::string& base, Outputs& folder) override {
    if (result.transmission) {
      folder.add(base + ".csv", transmission_csv(*result.transmission), "the ratio at every frequency");
      folder.add_figure(base, transmission_figure(*result.transmission), "ratio and phase");
      return;
    }
    if (result.stored) {
      folder.add(base + ".csv", responses_csv(*result.stored, settings_.transfer),
                 "gain and phase at every frequency");
      folder.add_figure(base, responses_figure(*result.stored, settings_.transfer), "gain and phase");
      return;
    }
    if (result.output_only) {
      folder.add_figure(base, output_only_figure(result),
                        "powers that the channels share, resonances marked");
      return;
    }
    folder.add(base + ".csv", response_csv(result, settings_.transfer.unwrapped),
               "ratios with coherence and error, bin by bin");
    if (!result.set.references.empty())
      folder.add(base + "-densities.csv", densities_csv(result), "auto and cross densities");
    if (const std::string impulses = impulses_csv(result); !impulses.empty())
      folder.add(base + "-impulse.csv", impulses, "impulse responses");
    for (const std::string& name : also_) {
      std::vector<std::vector<double>> columns;
      const Recording recording = response_recording(result, columns);
      write_recording(recording, Columns(columns.begin(), columns.end()), folder, base,
                      find_write_format(name), {});
    }
    folder.add_figure(base, bode_figure(result, settings_.transfer.unwrapped),
                      "magnitude, phase and coherence");
    if (result.modes.empty()) return;
    folder.add_figure(base + "-chart", chart_figure(result, settings_), "stabilisation chart");
    const Figure circles = nyquist_figure(result);
    if (!circles.panels.empty())
      folder.add_figure(base + "-circles", circles, "resonances in the complex plane");
  }

 private:
  /// A file that holds spectra or responses: nothing is left to be measured.
  ResponseResult stored(Input& input) {
    ResponseTask usual;
    refuse_others(options(), usual.options(),
                  {"reference", "span", "at", "phase", "input-density", "no-resonances"},
                  input.road().recording().file + " holds spectra already");
    ResponseResult out;
    out.stored = read_responses(input, settings_.references, settings_.span, settings_.resonances);
    return out;
  }

  ResponseSettings settings_;
  AnalysisSettings analysis_;
  std::vector<std::string> also_;
};

}  // namespace

std::unique_ptr<Task> make_response_task() { return std::make_unique<ResponseTask>(); }

}  // namespace vprism
