// npy.cpp: NPY arrays. Archives of them are opened in containers/npz.cpp.
//
//     "\x93NUMPY" major minor  length of the header (2 bytes, 4 from version 2 on, little endian)
//     {'descr': '<f8', 'fortran_order': False, 'shape': (1000, 2), }   padded with blanks
//     the numbers
//
// `descr` is byte order (< > = |), kind (i u f c b) and size, or a list of named fields of these. One
// dimension is one channel; of two, the longer one is time; of more, the last is channels if it is the
// shortest, and the others must be 1. A field named t or time is the time in seconds.
#include "formats/npy.h"

#include <algorithm>
#include <cctype>
#include <cstdio>
#include <cstring>

#include "base/error.h"
#include "base/text.h"
#include "formats/field_source.h"

namespace vprism {

namespace {

[[noreturn]] void damaged(const std::string& file, const std::string& what) {
  throw Error(Status::input, file + ": damaged array header: " + what + "; write it again");
}

struct Element {
  std::string name;
  char kind = 'f';
  bool big = false;
  std::size_t size = 8;
};

struct ArrayHeader {
  std::vector<Element> elements;
  bool fortran = false;
  std::vector<std::uint64_t> shape;
  std::uint64_t data = 0;  ///< Offset of the numbers.
};

/// The few Python literals that a header is made of.
class Literals {
 public:
  Literals(std::string_view text, const std::string& file) : text_(text), file_(file) {}

  bool take(char c) {
    skip();
    if (text_.empty() || text_.front() != c) return false;
    text_.remove_prefix(1);
    return true;
  }
  void need(char c) {
    if (!take(c)) damaged(file_, std::string("'") + c + "' expected");
  }
  std::string string() {
    skip();
    if (text_.empty() || (text_.front() != '\'' && text_.front() != '"')) damaged(file_, "a text expected");
    const char quote = text_.front();
    const std::size_t end = text_.find(quote, 1);
    if (end == std::string_view::npos) damaged(file_, "a text without end");
    std::string out(text_.substr(1, end - 1));
    text_.remove_prefix(end + 1);
    return out;
  }
  bool next_is_string() {
    skip();
    return !text_.empty() && (text_.front() == '\'' || text_.front() == '"');
  }
  std::string word() {
    skip();
    std::size_t n = 0;
    while (n < text_.size() && std::isalnum(static_cast<unsigned char>(text_[n]))) ++n;
    std::string out(text_.substr(0, n));
    text_.remove_prefix(n);
    return out;
  }
  std::vector<std::uint64_t> tuple() {
    std::vector<std::uint64_t> out;
    need('(');
    while (!take(')')) {
      std::string digits = word();
      if (digits.ends_with('L')) digits.pop_back();  // As old writers did.
      if (digits.empty() || digits.size() > 18 || digits.find_first_not_of("0123456789") != std::string::npos)
        damaged(file_, "a length expected in the shape");
      out.push_back(std::stoull(digits));
      if (out.size() > 8) damaged(file_, "more than 8 dimensions");
      take(',');
    }
    return out;
  }

 private:
  void skip() {
    while (!text_.empty() && std::isspace(static_cast<unsigned char>(text_.front()))) text_.remove_prefix(1);
  }
  std::string_view text_;
  const std::string& file_;
};

Element element_of(const std::string& file, std::string name, const std::string& code) {
  Element e;
  e.name = clean_text(name);
  if (code.size() < 2 || code.size() > 4) damaged(file, "element type \"" + clean_text(code) + "\"");
  const bool ordered = std::strchr("<>=|", code[0]) != nullptr;
  e.big = code[0] == '>';
  e.kind = code[ordered ? 1 : 0];
  const std::string size = code.substr(ordered ? 2 : 1);
  if (size.empty() || size.find_first_not_of("0123456789") != std::string::npos)
    damaged(file, "element type \"" + clean_text(code) + "\"");
  e.size = std::stoul(size);
  const bool complex = e.kind == 'c' && (e.size == 8 || e.size == 16);
  const char kind = e.kind == 'b' ? 'u' : e.kind;
  if (!complex && (e.kind == 'c' || find_number_type(kind, e.size, e.big) == nullptr))
    throw Error(Status::input,
                file + ": elements of type \"" + clean_text(code) +
                    "\" are no numbers that can be read here; write f8, f4 or an integer type");
  return e;
}

ArrayHeader parse_array_header(const std::string& file, const std::string& bytes) {
  if (bytes.size() < 10) damaged(file, "too short");
  const auto byte = [&](std::size_t i) {
    return static_cast<std::uint64_t>(static_cast<unsigned char>(bytes[i]));
  };
  const std::uint64_t major = byte(6);
  if (major < 1 || major > 3) damaged(file, "version " + std::to_string(major));
  const std::size_t begin = major == 1 ? 10 : 12;
  if (bytes.size() < begin) damaged(file, "too short");
  const std::uint64_t length = byte(8) | byte(9) << 8 | (major == 1 ? 0 : byte(10) << 16 | byte(11) << 24);
  if (length > bytes.size() - begin) damaged(file, "it does not end within the file's first 256 kB");
  ArrayHeader header;
  header.data = begin + length;
  Literals text(std::string_view(bytes).substr(begin, static_cast<std::size_t>(length)), file);
  bool has_shape = false;
  text.need('{');
  while (!text.take('}')) {
    const std::string key = text.string();
    text.need(':');
    if (key == "descr" && text.next_is_string()) {
      header.elements.push_back(element_of(file, "", text.string()));
    } else if (key == "descr") {
      text.need('[');
      while (!text.take(']')) {
        text.need('(');
        const std::string name = text.string();
        text.need(',');
        header.elements.push_back(element_of(file, name, text.string()));
        if (header.elements.size() > 4096) damaged(file, "more than 4096 fields");
        text.take(',');
        text.need(')');
        text.take(',');
      }
    } else if (key == "fortran_order") {
      header.fortran = text.word() == "True";
    } else if (key == "shape") {
      header.shape = text.tuple();
      has_shape = true;
    } else {
      damaged(file, "unknown key \"" + clean_text(key) + "\"");
    }
    text.take(',');
  }
  if (header.elements.empty() || !has_shape) damaged(file, "descr or shape is missing");
  return header;
}

void add_columns(FieldLayout& layout, std::vector<Field>& imaginary, const Element& e, std::uint64_t offset,
                 std::uint64_t stride) {
  const bool complex = e.kind == 'c';
  const std::size_t size = complex ? e.size / 2 : e.size;
  const NumberType* type = find_number_type(complex ? 'f' : e.kind == 'b' ? 'u' : e.kind, size, e.big);
  layout.columns.push_back({type, offset, stride});
  if (complex) imaginary.push_back({type, offset + size, stride});
}

}  // namespace

std::unique_ptr<SampleSource> open_npy_array(InputFile file, Recording recording,
                                             const ReadSettings& settings) {
  const ArrayHeader header = parse_array_header(recording.file, file.text(0, FileHead::head_bytes));
  std::uint64_t item = 0;
  for (const Element& e : header.elements) item += e.size;
  std::vector<std::uint64_t> shape = header.shape;
  std::erase(shape, std::uint64_t{1});
  if (shape.empty()) shape.push_back(1);
  if (shape.size() > 2)
    throw Error(Status::input, recording.file + ": an array of " + std::to_string(shape.size()) +
                                   " dimensions; channels need one or two: write each slice on its own");
  FieldLayout layout;
  std::vector<Field> imaginary;
  const bool table = header.elements.size() > 1;
  if (table && shape.size() > 1) damaged(recording.file, "named fields in two dimensions");
  std::uint64_t samples = shape[0], channels = 1;
  bool frames_together = true;  // All channels of an instant lie side by side.
  if (shape.size() == 2) {
    const bool first_is_time = shape[0] >= shape[1];
    samples = shape[first_is_time ? 0 : 1];
    channels = shape[first_is_time ? 1 : 0];
    frames_together = first_is_time != header.fortran;
    if (shape[0] == shape[1])
      recording.cautions.push_back(
          {"axis-assumed", Severity::warning, "",
           "both dimensions are " + std::to_string(samples) + "; rows are taken as time, columns as channels",
           "transpose the array if it is the other way round"});
  }
  if (samples == 0 || channels == 0 || samples > (std::uint64_t{1} << 56))
    damaged(recording.file, "no samples");
  if (channels > most_channels)
    throw Error(Status::input, recording.file + ": " + std::to_string(channels) + " channels; at most " +
                                   std::to_string(most_channels));
  recording.samples = static_cast<std::int64_t>(samples);
  recording.channels.clear();
  std::uint64_t offset = header.data;
  for (std::uint64_t c = 0; c < channels; ++c) {
    for (const Element& e : header.elements) {
      const std::string name = lower_case(e.name);
      if (table && !layout.stamps && e.kind == 'f' && (name == "t" || name == "time")) {
        layout.stamps = Field{find_number_type('f', e.size, e.big), offset, item};
        layout.stamp_resolution = 0;
        recording.axis.source = "field \"" + e.name + "\"";
      } else {
        add_columns(layout, imaginary, e, offset, table || !frames_together ? item : item * channels);
        recording.channels.push_back(channel_from_title(e.name));
      }
      offset += table || frames_together ? e.size : 0;
    }
    if (!table && !frames_together) offset += item * samples;
  }
  if (const std::uint64_t end = header.data + item * samples * channels; file.size() > end)
    recording.cautions.push_back({"length-disagrees", Severity::warning, "",
                                  "the array's shape takes " + std::to_string(end) + " bytes, the file has " +
                                      std::to_string(file.size()) + ": room for " +
                                      std::to_string((file.size() - end) / (item * channels)) +
                                      " samples more, which are left out",
                                  "write it again, or read all of it with --binary"});
  if (layout.columns.empty()) damaged(recording.file, "no channel beside the time");
  if (!imaginary.empty() && imaginary.size() != layout.columns.size())
    throw Error(Status::input, recording.file + ": real and complex fields in one array; write them apart");
  recording.complex = !imaginary.empty();
  layout.columns.insert(layout.columns.end(), imaginary.begin(), imaginary.end());
  make_names_distinct(recording.channels);
  take_axis_column(recording, layout, settings);
  return std::make_unique<FieldSource>(std::move(file), std::move(recording), std::move(layout), settings, 0,
                                       "");
}

std::string npy_shape(const std::string& file, const std::string& bytes) {
  std::string out;
  for (const std::uint64_t n : parse_array_header(file, bytes).shape)
    out += (out.empty() ? "" : " x ") + std::to_string(n);
  return out.empty() ? "a single number" : out + " numbers";
}

bool recognises_npy(const FileHead& head) { return starts_with(head.bytes, npy_magic); }

std::unique_ptr<SampleSource> open_npy(const FileHead& head, const ReadSettings& settings) {
  Recording recording;
  recording.file = head.path;
  recording.format = "NPY array";
  InputFile file(head.path);
  file.pass_on_to(settings.digest);
  return open_npy_array(std::move(file), std::move(recording), settings);
}

}  // namespace vprism
