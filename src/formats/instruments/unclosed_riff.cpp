// unclosed_riff.cpp: see unclosed_riff.h.
#include "formats/instruments/unclosed_riff.h"

#include <algorithm>
#include <span>

namespace vprism {

UnclosedRiff::UnclosedRiff(const std::string& path, std::uint64_t size, std::uint64_t data_at)
    : file_(path), size_(size), data_at_(data_at) {}

SNDFILE* UnclosedRiff::open(SF_INFO& info) {
  SF_VIRTUAL_IO io{length, seek, read, nullptr, report};
  return sf_open_virtual(&io, SFM_READ, &info, this);
}

sf_count_t UnclosedRiff::length(void* self) {
  return static_cast<sf_count_t>(static_cast<UnclosedRiff*>(self)->size_);
}

sf_count_t UnclosedRiff::seek(sf_count_t offset, int whence, void* self) {
  auto& riff = *static_cast<UnclosedRiff*>(self);
  const std::int64_t from = whence == SEEK_SET   ? 0
                            : whence == SEEK_CUR ? riff.at_
                                                 : static_cast<std::int64_t>(riff.size_);
  riff.at_ = std::clamp<std::int64_t>(from + offset, 0, static_cast<std::int64_t>(riff.size_));
  return riff.at_;
}

sf_count_t UnclosedRiff::read(void* to, sf_count_t count, void* self) {
  auto& riff = *static_cast<UnclosedRiff*>(self);
  const auto at = static_cast<std::uint64_t>(riff.at_);
  char* const bytes = static_cast<char*>(to);
  const std::size_t got =
      riff.file_.read_some(at, std::span(bytes, static_cast<std::size_t>(std::max<sf_count_t>(count, 0))));
  // Little-endian lengths, in place of the zeros.
  const auto put = [&](std::uint64_t place, std::uint64_t value) {
    for (std::uint64_t k = 0; k < 4; ++k)
      if (place + k >= at && place + k < at + got)
        bytes[place + k - at] = static_cast<char>(value >> (8 * k));
  };
  const std::uint64_t most = 0xFFFFFFFEu;
  put(4, std::min(riff.size_ - 8, most));
  put(riff.data_at_ + 4, std::min(riff.size_ - riff.data_at_ - 8, most));
  riff.at_ += static_cast<std::int64_t>(got);
  return static_cast<sf_count_t>(got);
}

sf_count_t UnclosedRiff::report(void* self) { return static_cast<UnclosedRiff*>(self)->at_; }

}  // namespace vprism
