// output_file.cpp: see output_file.h.
#include "formats/files/output_file.h"

#include <cerrno>
#include <cstring>

#include "base/error.h"

namespace vprism {

OutputFile::OutputFile(const std::string& path) : path_(path), file_(std::fopen(path.c_str(), "wb")) {
  if (!file_) fail();
}

void OutputFile::write(std::string_view bytes) {
  if (std::fwrite(bytes.data(), 1, bytes.size(), file_.get()) != bytes.size()) fail();
}

void OutputFile::write_at(std::uint64_t offset, std::string_view bytes) {
  if (::fseeko(file_.get(), static_cast<off_t>(offset), SEEK_SET) != 0) fail();
  write(bytes);
}

void OutputFile::finish() {
  std::FILE* file = file_.release();
  if (std::fclose(file) != 0) fail();
}

void OutputFile::fail() const {
  throw Error(Status::output, path_ + ": can't be written: " + std::strerror(errno));
}

}  // namespace vprism
