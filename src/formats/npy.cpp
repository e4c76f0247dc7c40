// npy.cpp: NPY arrays, and NPZ archives of them.
//
//     "\x93NUMPY" major minor  length of the header (2 bytes, 4 from version 2 on, little endian)
//     {'descr': '<f8', 'fortran_order': False, 'shape': (1000, 2), }   padded with blanks
//     the numbers
//
// `descr` is byte order (< > = |), kind (i u f c b) and size, or a list of named fields of these. One
// dimension is one channel; of two, the longer one is time; of more, the last is channels if it is the
// shortest, and the others must be 1. A field named t or time is the time in seconds. NPZ is a ZIP archive
// with one NPY file per array: each is a part.
#include <unistd.h>
#include <zip.h>

#include <algorithm>
#include <cctype>
#include <cstdio>
#include <cstring>

#include "base/error.h"
#include "base/text.h"
#include "formats/field_source.h"

namespace vprism {

namespace {

constexpr std::string_view magic = "\x93NUMPY";

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
      const std::string digits = word();
      if (digits.empty() || digits.size() > 18 ||
          digits.find_first_not_of("0123456789L") != std::string::npos)
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

std::unique_ptr<SampleSource> open_array(InputFile file, Recording recording, const ReadSettings& settings) {
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
  if (samples == 0 || samples > (std::uint64_t{1} << 56)) damaged(recording.file, "no samples");
  if (channels > 4096)
    throw Error(Status::input, recording.file + ": " + std::to_string(channels) + " channels; at most 4096");
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
  if (layout.columns.empty()) damaged(recording.file, "no channel beside the time");
  if (!imaginary.empty() && imaginary.size() != layout.columns.size())
    throw Error(Status::input, recording.file + ": real and complex fields in one array; write them apart");
  recording.complex = !imaginary.empty();
  layout.columns.insert(layout.columns.end(), imaginary.begin(), imaginary.end());
  make_names_distinct(recording.channels);
  return std::make_unique<FieldSource>(std::move(file), std::move(recording), std::move(layout), settings, 0,
                                       "");
}

std::string shape_text(const ArrayHeader& header) {
  std::string out;
  for (const std::uint64_t n : header.shape) out += (out.empty() ? "" : " x ") + std::to_string(n);
  return out.empty() ? "a single number" : out + " numbers";
}

struct ZipCloser {
  void operator()(zip_t* archive) const { zip_discard(archive); }
  void operator()(zip_file_t* file) const { zip_fclose(file); }
};

}  // namespace

bool recognises_npy(const FileHead& head) { return starts_with(head.bytes, magic); }

std::unique_ptr<SampleSource> open_npy(const FileHead& head, const ReadSettings& settings) {
  Recording recording;
  recording.file = head.path;
  recording.format = "NPY array";
  return open_array(InputFile(head.path), std::move(recording), settings);
}

bool recognises_npz(const FileHead& head) {
  return starts_with(head.bytes, "PK\x03\x04") && head.bytes.find(".npy") != std::string::npos;
}

std::unique_ptr<SampleSource> open_npz(const FileHead& head, const ReadSettings& settings) {
  int code = 0;
  const std::unique_ptr<zip_t, ZipCloser> archive(zip_open(head.path.c_str(), ZIP_RDONLY, &code));
  if (!archive)
    throw Error(Status::input,
                head.path + ": damaged archive (ZIP error " + std::to_string(code) + "); write it again");
  Recording recording;
  recording.file = head.path;
  recording.format = "NPZ archive";
  std::vector<zip_uint64_t> entries;
  std::uint64_t most = 0;
  std::size_t largest = 0;
  const zip_int64_t count = zip_get_num_entries(archive.get(), 0);
  for (zip_int64_t i = 0; i < std::min<zip_int64_t>(count, 4096); ++i) {
    zip_stat_t facts;
    if (zip_stat_index(archive.get(), static_cast<zip_uint64_t>(i), 0, &facts) != 0) continue;
    const std::string name = facts.name == nullptr ? "" : facts.name;
    if (name.size() < 5 || name.substr(name.size() - 4) != ".npy") continue;
    const std::unique_ptr<zip_file_t, ZipCloser> member(zip_fopen_index(archive.get(), facts.index, 0));
    std::string bytes(std::min<std::uint64_t>(facts.size, 64 * 1024), '\0');
    const zip_int64_t got = member ? zip_fread(member.get(), bytes.data(), bytes.size()) : -1;
    if (got < 10 || !starts_with(bytes, magic)) continue;
    bytes.resize(static_cast<std::size_t>(got));
    try {
      recording.parts.push_back(
          {clean_text(name.substr(0, name.size() - 4)), shape_text(parse_array_header(head.path, bytes))});
    } catch (const Error&) {
      continue;  // An array of texts or objects: nothing to analyse.
    }
    if (facts.size > most) most = facts.size, largest = entries.size();
    entries.push_back(facts.index);
  }
  if (entries.empty())
    throw Error(Status::input, head.path + ": the archive holds no array of numbers; write it again");
  recording.part = choose_part(head.path, recording.parts, settings, largest);
  zip_stat_t facts;
  zip_stat_index(archive.get(), entries[recording.part], 0, &facts);
  // Deflate shortens at most 1032 times; more is a claim, not data.
  if (facts.size > 1040 * (facts.comp_size + 64))
    throw Error(Status::input, head.path + ": damaged archive: an array of " + std::to_string(facts.size) +
                                   " bytes can't be packed into " + std::to_string(facts.comp_size));
  // Unpacked into a file without a name, so that memory does not grow with the array.
  std::FILE* unpacked = std::tmpfile();
  if (unpacked == nullptr)
    throw Error(Status::input, head.path + ": no room to unpack it in the temporary folder");
  InputFile file(::dup(::fileno(unpacked)), head.path);
  const std::unique_ptr<zip_file_t, ZipCloser> member(
      zip_fopen_index(archive.get(), entries[recording.part], 0));
  std::vector<char> buffer(1 << 20);
  zip_int64_t got = 0;
  std::uint64_t all = 0;
  while (member && (got = zip_fread(member.get(), buffer.data(), buffer.size())) > 0) {
    all += static_cast<std::uint64_t>(got);
    if (std::fwrite(buffer.data(), 1, static_cast<std::size_t>(got), unpacked) !=
        static_cast<std::size_t>(got))
      got = -2;
    if (got < 0) break;
  }
  const bool written = std::fclose(unpacked) == 0 && got != -2;
  if (!written) throw Error(Status::input, head.path + ": no room to unpack it in the temporary folder");
  if (got < 0 || all != facts.size)
    throw Error(Status::input, head.path + ": damaged archive: \"" + recording.parts[recording.part].name +
                                   "\" can't be unpacked; write it again");
  if (recording.parts.size() == 1) recording.notes.emplace_back("array", recording.parts[0].name);
  file.refresh();
  return open_array(std::move(file), std::move(recording), settings);
}

}  // namespace vprism
