// workbook_parts.h: XML files, alone and in archives, as a stream of elements.
#pragma once

#include <zip.h>

#include <cstdint>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "formats/documents/sheets.h"

namespace vprism {

/// Names come without their name space's prefix.
class XmlAttributes {
 public:
  explicit XmlAttributes(const char** pairs) : pairs_(pairs) {}
  /// "" where it is not there.
  std::string_view operator[](std::string_view name) const;

 private:
  const char** pairs_;
};

class XmlHandler {
 public:
  virtual ~XmlHandler() = default;
  virtual void start(std::string_view name, const XmlAttributes& with) = 0;
  virtual void text(std::string_view) {}
  virtual void end(std::string_view) {}
};

/// A whole number; -1 for anything else.
std::int64_t number_in(std::string_view text);

/// Throws Error(input) with the file's name: not well formed, or with entities of its own.
void parse_xml_file(const std::string& path, XmlHandler& handler);

/// The members of a ZIP archive.
class ZipParts {
 public:
  explicit ZipParts(const std::string& path);
  bool has(const std::string& member) const;
  void parse(const std::string& member, XmlHandler& handler);

 private:
  struct Closer {
    void operator()(zip_t* archive) const { zip_discard(archive); }
    void operator()(zip_file_t* file) const { zip_fclose(file); }
  };
  std::string path_;
  std::unique_ptr<zip_t, Closer> archive_;
};

}  // namespace vprism
