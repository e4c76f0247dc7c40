// unclosed_riff.h: RIFF sound files whose recorder did not come to write their length: the data chunk says 0
// bytes, and the samples stand behind it.
#pragma once

#include <sndfile.h>

#include <memory>
#include <string>

#include "formats/files/input_file.h"

namespace vprism {

/// Such a file as libsndfile reads it, with the lengths that belong there. It must outlive what it was given
/// to.
class UnclosedRiff {
 public:
  /// `data_at`: where the chunk's eight bytes stand.
  UnclosedRiff(const std::string& path, std::uint64_t size, std::uint64_t data_at);
  SNDFILE* open(SF_INFO& info);

 private:
  static sf_count_t length(void* self);
  static sf_count_t seek(sf_count_t offset, int whence, void* self);
  static sf_count_t read(void* to, sf_count_t count, void* self);
  static sf_count_t report(void* self);

  InputFile file_;
  std::uint64_t size_, data_at_;
  std::int64_t at_ = 0;
};

}  // namespace vprism
