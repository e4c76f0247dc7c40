// named_source.cpp: see named_source.h.
#include "formats/named_source.h"

namespace vprism {

NamedSource::NamedSource(std::unique_ptr<SampleSource> source, std::string file, std::string name,
                         std::function<void(Recording&)> amend)
    : source_(std::move(source)), file_(std::move(file)), name_(std::move(name)), amend_(std::move(amend)) {
  take_over();
}

std::size_t NamedSource::read(Block& block) {
  const std::size_t count = renamed(file_, name_, [&] { return source_->read(block); });
  take_over();
  return count;
}

void NamedSource::resolve() {
  renamed(file_, name_, [&] { source_->resolve(); });
  take_over();
}

void NamedSource::take_over() {
  recording_ = source_->recording();
  recording_.file = name_;
  if (amend_) amend_(recording_);
}

}  // namespace vprism
