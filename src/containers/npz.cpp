// npz.cpp: NPZ archives: a ZIP archive with one NPY file per array; each is a part.
#include <unistd.h>
#include <zip.h>

#include <algorithm>
#include <cstdio>

#include "base/error.h"
#include "base/text.h"
#include "containers/entries.h"
#include "formats/npy.h"

namespace vprism {

namespace {

struct ZipCloser {
  void operator()(zip_t* archive) const { zip_discard(archive); }
  void operator()(zip_file_t* file) const { zip_fclose(file); }
};

}  // namespace

std::unique_ptr<SampleSource> open_npz_file(const FileHead& head, const ReadSettings& settings) {
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
    if (got < 10 || !starts_with(bytes, npy_magic)) continue;
    bytes.resize(static_cast<std::size_t>(got));
    try {
      recording.parts.push_back({clean_text(name.substr(0, name.size() - 4)), npy_shape(head.path, bytes)});
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
  return open_npy_array(std::move(file), std::move(recording), settings);
}

}  // namespace vprism
