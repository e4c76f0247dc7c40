// workbook_parts.cpp: see workbook_parts.h.
#include "containers/packages/workbook_parts.h"

#include <expat.h>

#include <charconv>
#include <exception>
#include <functional>

#include "base/error.h"
#include "base/text.h"
#include "formats/files/input_file.h"

namespace vprism {

namespace {

std::string_view without_prefix(std::string_view name) {
  const std::size_t colon = name.rfind(':');
  return colon == std::string_view::npos ? name : name.substr(colon + 1);
}

/// What a parser's callbacks see; no exception passes through the library.
struct Parse {
  XmlHandler& handler;
  XML_Parser parser = nullptr;
  std::exception_ptr failure = nullptr;
  std::size_t depth = 0;

  template <typename Work>
  void guarded(Work work) {
    if (failure) return;
    try {
      work();
    } catch (...) {
      failure = std::current_exception();
      XML_StopParser(parser, XML_FALSE);
    }
  }
};

void XMLCALL on_start(void* data, const XML_Char* name, const XML_Char** attributes) {
  auto& parse = *static_cast<Parse*>(data);
  parse.guarded([&] { parse.handler.start(without_prefix(name), XmlAttributes(attributes)); });
}
void XMLCALL on_end(void* data, const XML_Char* name) {
  auto& parse = *static_cast<Parse*>(data);
  parse.guarded([&] { parse.handler.end(without_prefix(name)); });
}
void XMLCALL on_text(void* data, const XML_Char* text, int count) {
  auto& parse = *static_cast<Parse*>(data);
  parse.guarded([&] { parse.handler.text({text, static_cast<std::size_t>(count)}); });
}
/// A document type may bring entities that unfold, or name other files: none of these files has one.
void XMLCALL on_doctype(void* data, const XML_Char*, const XML_Char*, const XML_Char*, int) {
  auto& parse = *static_cast<Parse*>(data);
  parse.guarded([] { throw Error(Status::input, "has a document type of its own, which is not read"); });
}

/// `read` fills a buffer and gives the number of bytes, 0 at the end.
void parse_xml(const std::string& path, const std::function<std::size_t(char*, std::size_t)>& read,
               XmlHandler& handler) {
  const std::unique_ptr<XML_ParserStruct, void (*)(XML_Parser)> parser(
      XML_ParserCreate(nullptr), [](XML_Parser p) { XML_ParserFree(p); });
  if (!parser) throw Error(Status::input, path + ": no memory to read it");
  Parse parse{handler, parser.get()};
  XML_SetUserData(parser.get(), &parse);
  XML_SetElementHandler(parser.get(), on_start, on_end);
  XML_SetCharacterDataHandler(parser.get(), on_text);
  XML_SetStartDoctypeDeclHandler(parser.get(), on_doctype);
  constexpr int some = 1 << 16;
  for (bool ended = false; !ended;) {
    void* const room = XML_GetBuffer(parser.get(), some);
    if (room == nullptr) throw Error(Status::input, path + ": no memory to read it");
    const std::size_t got = read(static_cast<char*>(room), some);
    ended = got == 0;
    const auto status = XML_ParseBuffer(parser.get(), static_cast<int>(got), ended ? 1 : 0);
    if (parse.failure) try {
        std::rethrow_exception(parse.failure);
      } catch (const Error& error) {
        if (starts_with(error.what(), path)) throw;
        throw Error(error.status(), path + ": " + error.what());
      }
    if (status != XML_STATUS_OK)
      throw Error(Status::input,
                  path + ": damaged at line " + std::to_string(XML_GetCurrentLineNumber(parser.get())) +
                      " of its XML (" + XML_ErrorString(XML_GetErrorCode(parser.get())) + "); save it again");
  }
}

}  // namespace

std::string_view XmlAttributes::operator[](std::string_view name) const {
  for (const char** at = pairs_; *at != nullptr; at += 2)
    if (without_prefix(*at) == name) return at[1];
  return {};
}

std::int64_t number_in(std::string_view text) {
  std::int64_t value = -1;
  const auto [end, code] = std::from_chars(text.data(), text.data() + text.size(), value);
  return code == std::errc() && end == text.data() + text.size() ? value : -1;
}

void parse_xml_file(const std::string& path, XmlHandler& handler) {
  const InputFile file(path);
  std::uint64_t at = 0;
  parse_xml(
      path,
      [&](char* to, std::size_t room) {
        const std::size_t got = file.read_some(at, {to, room});
        at += got;
        return got;
      },
      handler);
}

ZipParts::ZipParts(const std::string& path) : path_(path) {
  int code = 0;
  archive_.reset(zip_open(path.c_str(), ZIP_RDONLY, &code));
  if (!archive_)
    throw Error(Status::input,
                path + ": damaged archive (ZIP error " + std::to_string(code) + "); save it again");
}

bool ZipParts::has(const std::string& member) const {
  return zip_name_locate(archive_.get(), member.c_str(), 0) >= 0;
}

void ZipParts::parse(const std::string& member, XmlHandler& handler) {
  const std::unique_ptr<zip_file_t, Closer> file(zip_fopen(archive_.get(), member.c_str(), 0));
  if (!file)
    throw Error(Status::input, path_ + ": damaged archive: \"" + clean_text(member) +
                                   "\" can't be unpacked (it may be locked by a password); save it again");
  parse_xml(
      path_,
      [&](char* to, std::size_t room) {
        const zip_int64_t got = zip_fread(file.get(), to, room);
        if (got < 0)
          throw Error(Status::input, path_ + ": damaged archive: \"" + clean_text(member) +
                                         "\" can't be unpacked; save it again");
        return static_cast<std::size_t>(got);
      },
      handler);
}

}  // namespace vprism
