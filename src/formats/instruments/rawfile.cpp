// rawfile.cpp: rawfiles of circuit simulators, text or binary, several plots in a file.
//
//     Title: servo amplifier                 Each plot begins with such lines, in 8-bit text or UTF-16.
//     Plotname: Transient Analysis
//     Flags: real                            or complex; "double", "stepped" and others may follow
//     No. Variables: 3
//     No. Points: 1203
//     Variables:
//             0       time    time           number, name, type
//             1       V(out)  voltage
//     Binary:                                or "Values:"
//
// Binary: point after point, each variable a double (real plots) or two (complex); some programs keep only
// the first variable of a real plot in double and the others in single precision, which the length of the
// data tells. Some mark compressed points by a negative time: its magnitude counts. Values: per point its
// number, then a value per variable, "re,im" where complex. The first variable is the axis when its type is
// time or frequency, or when the plot is a sweep. Specification: the rawfile chapters of the public
// manuals of the circuit simulators that write it.
#include <fast_float/fast_float.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "base/units/quantity.h"
#include "formats/field_source.h"
#include "formats/instruments/rawfile_plot.h"
#include "formats/text/rows/row_source.h"

namespace vprism {

namespace {

/// How wide a binary point is, and where the plot's data end.
std::uint64_t settle_width(const InputFile& file, RawPlot& plot, Recording& recording) {
  const std::uint64_t wide = plot.variable_count * (plot.complex ? 16 : 8);
  const std::uint64_t narrow = plot.complex ? wide : 8 + 4 * (plot.variable_count - 1);
  const std::uint64_t left = file.size() - plot.data;
  const auto ends = [&](std::uint64_t width) {
    if (plot.points > left / width) return false;
    const std::uint64_t end = plot.data + plot.points * width;
    return end == file.size() || begins_plot(file, end);
  };
  if (plot.points == 0 && left >= narrow) {
    // A run that was stopped leaves its count at 0; what is there is read.
    plot.points = left / (left % wide == 0 ? wide : narrow);
    recording.cautions.push_back({"length-disagrees", Severity::warning, "",
                                  "the header of \"" + plot.name + "\" counts no points, " +
                                      std::to_string(plot.points) + " are there",
                                  "check that the simulation came to its end"});
  }
  plot.single = !ends(wide) && ends(narrow);
  const std::uint64_t width = plot.single ? narrow : wide;
  if (plot.points > left / width)
    throw Error(Status::input, file.name() + ": cut short: \"" + plot.name + "\" promises " +
                                   std::to_string(plot.points) + " points of " + std::to_string(width) +
                                   " bytes, " + std::to_string(left) + " bytes are there");
  plot.point_bytes = static_cast<std::size_t>(width);
  return plot.data + plot.points * width;
}

/// The next word of a "Values:" list. Words are parted by blanks and line ends.
class Words {
 public:
  Words(const InputFile& file, std::uint64_t offset) : lines_(file, offset) {}
  bool get(std::string_view& word) {
    for (;;) {
      while (at_ < line_.size() && (line_[at_] == ' ' || line_[at_] == '\t')) ++at_;
      if (at_ < line_.size()) break;
      before_ = lines_.offset();
      if (!lines_.get(line_)) return false;
      at_ = 0;
    }
    const std::size_t from = at_;
    while (at_ < line_.size() && line_[at_] != ' ' && line_[at_] != '\t') ++at_;
    word = std::string_view(line_).substr(from, at_ - from);
    return true;
  }
  std::uint64_t line_offset() const { return before_; }

 private:
  LineReader lines_;
  std::string line_;
  std::size_t at_ = 0;
  std::uint64_t before_ = 0;
};

/// "1.5" or "1.5,-2e-3".
bool parse_value(std::string_view word, double& real, double& imaginary) {
  imaginary = 0;
  const char* end = word.data() + word.size();
  auto [at, code] = fast_float::from_chars(word.data(), end, real);
  if (code != std::errc()) return false;
  if (at == end) return true;
  if (*at != ',') return false;
  const auto second = fast_float::from_chars(at + 1, end, imaginary);
  return second.ec == std::errc() && second.ptr == end;
}

/// Where a text plot's values end, by counting its words.
std::uint64_t end_of_values(const InputFile& file, const RawPlot& plot) {
  Words words(file, plot.data);
  std::string_view word;
  for (;;) {
    if (!words.get(word)) return file.size();
    if (!word.empty() && std::isalpha(static_cast<unsigned char>(word[0])) &&
        begins_plot(file, words.line_offset()))
      return words.line_offset();
  }
}

class TextPlot : public RowSource {
 public:
  TextPlot(InputFile file, Recording recording, RawPlot plot, bool stamped, const ReadSettings& settings)
      : RowSource(std::move(recording), stamped, settings, 0, ""),
        file_(std::move(file)),
        plot_(std::move(plot)),
        stamped_(stamped),
        words_(file_, plot_.data) {}

 private:
  void start() override { words_ = Words(file_, plot_.data); }
  bool next(double* columns, double& stamp) override {
    std::string_view word;
    if (!words_.get(word)) return false;  // The point's number.
    if (std::isalpha(static_cast<unsigned char>(word[0]))) return false;
    const std::size_t channels = plot_.variable_count - (stamped_ ? 1 : 0);
    for (std::size_t v = 0; v < plot_.variable_count; ++v) {
      double real = 0, imaginary = 0;
      if (!words_.get(word)) return false;
      if (!parse_value(word, real, imaginary))
        throw Error(Status::input, file_.name() + ": \"" + clean_text(word, 40) + "\" near byte " +
                                       std::to_string(words_.line_offset()) +
                                       " is not a number; run the simulation again");
      if (stamped_ && v == 0) {
        stamp = plot_.types[0].find("time") != std::string::npos ? std::abs(real) : real;
        continue;
      }
      const std::size_t c = v - (stamped_ ? 1 : 0);
      columns[c] = std::isfinite(real) ? real : std::nan("");
      if (plot_.complex) columns[channels + c] = std::isfinite(imaginary) ? imaginary : std::nan("");
    }
    return true;
  }

  InputFile file_;
  RawPlot plot_;
  bool stamped_;
  Words words_;
};

FieldLayout layout_of(const RawPlot& plot, bool stamped) {
  FieldLayout layout;
  const NumberType* wide = find_number_type("f64le");
  const NumberType* narrow = plot.single ? find_number_type("f32le") : wide;
  std::vector<Field> imaginary;
  std::uint64_t offset = plot.data;
  for (std::size_t v = 0; v < plot.variable_count; ++v) {
    const Field field{v == 0 ? wide : narrow, offset, plot.point_bytes};
    offset += field.type->size * (plot.complex ? 2 : 1);
    if (v == 0 && stamped) {
      layout.stamps = field;
      layout.stamps_are_magnitudes = plot.types[0].find("time") != std::string::npos;
      continue;
    }
    layout.columns.push_back(field);
    if (plot.complex) imaginary.push_back({field.type, field.offset + 8, field.stride});
  }
  layout.columns.insert(layout.columns.end(), imaginary.begin(), imaginary.end());
  return layout;
}

/// A stepped plot holds several runs one behind the other: a new one begins where the axis falls back.
std::vector<RawPlot> runs_of(const InputFile& file, const RawPlot& plot) {
  std::vector<RawPlot> runs;
  std::vector<char> buffer;
  std::vector<double> axis(4096);
  const NumberType* type = find_number_type("f64le");
  std::uint64_t begun = 0;
  double last = 0;
  const auto end_run = [&](std::uint64_t end) {
    RawPlot run = plot;
    run.data = plot.data + begun * plot.point_bytes;
    run.points = end - begun;
    run.run = "run " + std::to_string(runs.size() + 1);
    runs.push_back(run);
    begun = end;
  };
  for (std::uint64_t done = 0; done < plot.points; done += axis.size()) {
    const std::size_t now =
        static_cast<std::size_t>(std::min<std::uint64_t>(axis.size(), plot.points - done));
    buffer.resize((now - 1) * plot.point_bytes + 8);
    file.read(plot.data + done * plot.point_bytes, buffer);
    type->decode(buffer.data(), plot.point_bytes, now, axis.data());
    for (std::size_t n = 0; n < now; ++n) {
      const double t = std::abs(axis[n]);
      if (done + n > begun && t < last && runs.size() < 4096) end_run(done + n);
      last = t;
    }
  }
  end_run(plot.points);
  if (runs.size() == 1) runs[0].run.clear();
  return runs;
}

}  // namespace

bool recognises_rawfile(const FileHead& head) {
  std::string text = head.bytes.substr(0, 8192);
  if (text.size() > 12 && text[1] == '\0') std::erase(text, '\0');
  text = lower_case(text);
  return (starts_with(text, "title:") || starts_with(text, "plotname:")) &&
         text.find("\nflags:") != std::string::npos && text.find("no. variables:") != std::string::npos;
}

std::unique_ptr<SampleSource> open_rawfile(const FileHead& head, const ReadSettings& settings) {
  InputFile file(head.path);
  Recording recording;
  recording.file = head.path;
  std::vector<RawPlot> plots;
  for (std::uint64_t at = 0; at < file.size() && plots.size() < 4096;) {
    RawPlot plot;
    if (!read_plot(file, at, plot)) break;
    at = plot.text ? end_of_values(file, plot) : settle_width(file, plot, recording);
    if (plot.points == 0) damaged_rawfile(file, "\"" + plot.name + "\" has no points");
    if (!plot.text && !plot.complex && plot.flags.find("stepped") != std::string::npos) {
      for (RawPlot& run : runs_of(file, plot)) plots.push_back(std::move(run));
    } else {
      plots.push_back(std::move(plot));
    }
    if (at < file.size() && !begins_plot(file, at)) {
      if (file.size() - at > 8)
        recording.cautions.push_back({"trailing-data", Severity::warning, "",
                                      std::to_string(file.size() - at) + " bytes after \"" +
                                          plots.back().name + "\" are no further plot and are left out",
                                      "run the simulation again if something is missing"});
      break;
    }
  }
  if (plots.empty()) damaged_rawfile(file, "no plot");
  std::size_t standard = 0;
  for (std::size_t i = 0; i < plots.size(); ++i) {
    const RawPlot& plot = plots[i];
    std::string name = plot.name.empty() ? "plot " + std::to_string(i + 1) : plot.name;
    if (!plot.run.empty()) name += ", " + plot.run;
    const std::string first = name;
    for (int k = 2; std::any_of(recording.parts.begin(), recording.parts.end(),
                                [&](const Part& p) { return p.name == name; });
         ++k)
      name = first + " (" + std::to_string(k) + ")";
    recording.parts.push_back({name, std::to_string(plot.variable_count) + " variables, " +
                                         std::to_string(plot.points) + " points" +
                                         (plot.complex ? ", complex" : "")});
    // The first run in time is what most come for.
    const auto is_time = [](const RawPlot& p) { return p.types[0].find("time") != std::string::npos; };
    if (is_time(plot) && !is_time(plots[standard])) standard = i;
  }
  recording.part = choose_part(head.path, recording.parts, settings, standard);
  const RawPlot plot = plots[recording.part];
  recording.notes = {{"title", plot.title}, {"plot", recording.parts[recording.part].name}};
  if (recording.parts.size() == 1) recording.parts.clear(), recording.part = 0;
  recording.format = std::string("circuit-simulation rawfile, ") +
                     (plot.text     ? "text"
                      : plot.single ? "binary, single precision"
                                    : "binary") +
                     (plot.complex ? ", complex" : "");
  recording.samples = static_cast<std::int64_t>(plot.points);
  recording.complex = plot.complex;
  const bool timed = plot.types[0].find("time") != std::string::npos;
  const bool swept = plot.types[0].find("freq") != std::string::npos;
  const bool stamped = plot.variable_count > 1 && plot.points > 1;
  for (std::size_t v = stamped ? 1 : 0; v < plot.variable_count; ++v)
    recording.channels.push_back(plot.variables[v]);
  make_names_distinct(recording.channels);
  Axis& axis = recording.axis;
  axis.domain = timed ? Axis::Domain::time : swept ? Axis::Domain::frequency : Axis::Domain::other;
  axis.name = stamped ? plot.variables[0].name : "operating point";
  if (stamped) axis.unit = plot.variables[0].unit;
  axis.source = "variable \"" + plot.variables[0].name + "\"";
  if (plot.text)
    return std::make_unique<TextPlot>(std::move(file), std::move(recording), plot, stamped, settings);
  return std::make_unique<FieldSource>(std::move(file), std::move(recording), layout_of(plot, stamped),
                                       settings, 0, "");
}

}  // namespace vprism
