// named_source.h: what was read from a file that was made on the way, under the name of the file it is from.
#pragma once

#include <functional>
#include <memory>
#include <string>

#include "base/error.h"
#include "signal/source.h"

namespace vprism {

/// What `work` gives, its errors under the other name.
template <typename Work>
auto renamed(const std::string& file, const std::string& name, Work work) {
  try {
    return work();
  } catch (const Error& error) {
    std::string line = error.what();
    if (const auto at = line.find(file); at != std::string::npos) line.replace(at, file.size(), name);
    throw Error(error.status(), line);
  }
}

/// A source under another name than that of the file it reads.
class NamedSource : public SampleSource {
 public:
  /// `amend` sees the description of the recording, whenever it may have changed.
  NamedSource(std::unique_ptr<SampleSource> source, std::string file, std::string name,
              std::function<void(Recording&)> amend = {});
  const Recording& recording() const override { return recording_; }
  std::size_t read(Block& block) override;
  void rewind() override { source_->rewind(); }
  std::int64_t seek(std::int64_t sample) override { return source_->seek(sample); }
  void resolve() override;
  bool carries_stamps() const override { return source_->carries_stamps(); }

 private:
  void take_over();
  std::unique_ptr<SampleSource> source_;
  std::string file_, name_;
  std::function<void(Recording&)> amend_;
  Recording recording_;
};

}  // namespace vprism
