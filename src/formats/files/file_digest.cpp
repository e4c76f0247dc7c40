// file_digest.cpp: see file_digest.h.
#include "formats/files/file_digest.h"

#include <xxhash.h>
#ifdef __x86_64__
#include <xxh_x86dispatch.h>  // The same digests, by the processor's widest vectors.
#endif

#include <cstdio>
#include <vector>

#include "formats/files/input_file.h"

namespace vprism {

namespace {

std::string digest_words(std::uint64_t digest) {
  char out[32];
  std::snprintf(out, sizeof out, "xxh3:%016llx", static_cast<unsigned long long>(digest));
  return out;
}

}  // namespace

struct FileDigest::State {
  XXH3_state_t* hash = XXH3_createState();
  State() { XXH3_64bits_reset(hash); }
  ~State() { XXH3_freeState(hash); }
  State(const State&) = delete;
  State& operator=(const State&) = delete;
};

FileDigest::FileDigest(std::string path) : path_(std::move(path)), state_(std::make_unique<State>()) {}
FileDigest::~FileDigest() = default;

void FileDigest::passed(std::uint64_t offset, std::span<const char> bytes) {
  if (offset > next_ || offset + bytes.size() <= next_) return;
  bytes = bytes.subspan(static_cast<std::size_t>(next_ - offset));
  XXH3_64bits_update(state_->hash, bytes.data(), bytes.size());
  next_ += bytes.size();
}

std::string FileDigest::text() {
  const InputFile file(path_);
  std::vector<char> buffer(std::size_t{1} << 18);  // Stays near the core.
  while (const std::size_t count = file.read_some(next_, buffer))
    passed(next_, std::span<const char>(buffer).first(count));
  return digest_words(XXH3_64bits_digest(state_->hash));
}

std::string FileDigest::quick_text() {
  constexpr std::uint64_t whole = std::uint64_t{64} << 20, block = 1 << 16;
  const InputFile file(path_);
  if (file.size() <= whole || next_ >= file.size()) return text();
  std::string sampled = std::to_string(file.size()) + " " + std::to_string(file.changed_ns());
  for (std::uint64_t i = 0; i <= 64; ++i) sampled += file.text((file.size() - block) / 64 * i, block);
  return "quick:" + text_digest(sampled).substr(5);
}

std::string text_digest(std::string_view text) { return digest_words(XXH3_64bits(text.data(), text.size())); }

}  // namespace vprism
