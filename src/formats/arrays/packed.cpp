// packed.cpp: see packed.h.
#include "formats/arrays/packed.h"

#include <zlib.h>

#include <algorithm>
#include <filesystem>
#include <set>

#include "base/error.h"
#include "base/text.h"
#include "formats/containers.h"
#include "formats/files/input_file.h"
#include "formats/files/output_file.h"
#include "formats/made_once.h"
#include "formats/named_source.h"

namespace vprism {

namespace {

namespace fs = std::filesystem;

/// Its name without ".gz", so that companions and formats by name are found as for any file.
std::string inner_name(const std::string& path) {
  const std::string name = fs::path(path).filename().string(), low = lower_case(name);
  if (low.size() > 3 && low.ends_with(".gz")) return name.substr(0, name.size() - 3);
  return low.ends_with(".tgz") ? name.substr(0, name.size() - 3) + "tar" : name + ".unpacked";
}

[[noreturn]] void damaged(const std::string& path, const std::string& why) {
  throw Error(Status::input, path + ": damaged: " + why + "; copy or export it again");
}

/// The members of a gzip file, one after the other.
void unpack_gzip(const std::string& path, TemporaryFile& out) {
  const InputFile file(path);
  z_stream stream{};
  constexpr int gzip_only = 16 + MAX_WBITS;
  if (inflateInit2(&stream, gzip_only) != Z_OK) throw Error(Status::input, path + ": no memory to unpack it");
  const std::unique_ptr<z_stream, void (*)(z_stream*)> closer(&stream, [](z_stream* s) { inflateEnd(s); });
  std::vector<char> in(1 << 18), plain(1 << 20);
  std::uint64_t at = 0;
  int status = Z_OK;
  for (;;) {
    const std::size_t got = file.read_some(at, in);
    if (got == 0) break;
    at += got;
    stream.next_in = reinterpret_cast<Bytef*>(in.data());
    stream.avail_in = static_cast<uInt>(got);
    while (stream.avail_in > 0) {
      if (status == Z_STREAM_END) {
        // Another member; anything else behind the last is padding.
        if (*stream.next_in != 0x1F) return;
        inflateReset(&stream);
      }
      stream.next_out = reinterpret_cast<Bytef*>(plain.data());
      stream.avail_out = static_cast<uInt>(plain.size());
      status = inflate(&stream, Z_NO_FLUSH);
      if (status != Z_OK && status != Z_STREAM_END && status != Z_BUF_ERROR)
        damaged(path, "it can't be unpacked at byte " + std::to_string(at - stream.avail_in));
      out.write({plain.data(), plain.size() - stream.avail_out});
      if (status == Z_BUF_ERROR && stream.avail_out != 0) break;
    }
  }
  if (status != Z_STREAM_END) damaged(path, "the file ends before what is packed in it does");
}

template <typename Unpack>
std::string unpacked(const std::string& path, const std::string& member, const std::string& name,
                     Unpack unpack) {
  static MadeOnce<std::string> made;
  return made.of(path, member, [&](const std::string& folder) {
    TemporaryFile out(path, name, folder);
    unpack(out);
    return out.finish();
  });
}

std::unique_ptr<SampleSource> open_unpacked(const FileHead& head, const std::string& file,
                                            const ReadSettings& settings, const std::string& how,
                                            const std::vector<Part>& parts, std::size_t part) {
  ReadSettings inner = settings;
  inner.digest = nullptr;
  if (!parts.empty()) inner.part.clear();
  auto source = renamed(file, head.path, [&] { return open_recording(file, inner); });
  return std::make_unique<NamedSource>(std::move(source), file, head.path, [=](Recording& recording) {
    recording.format += how;
    if (parts.empty()) return;
    if (recording.parts.size() > 1)
      recording.cautions.push_back(
          {"parts-within", Severity::warning, "",
           "\"" + parts[part].name + "\" holds " + std::to_string(recording.parts.size()) +
               " recordings of its own, of which \"" + recording.parts[recording.part].name + "\" is read",
           "unpack the archive to read the others"});
    recording.parts = parts;
    recording.part = part;
  });
}

}  // namespace

bool recognises_gzip(const FileHead& head) { return starts_with(head.bytes, "\x1F\x8B\x08"); }

std::unique_ptr<SampleSource> open_gzip(const FileHead& head, const ReadSettings& settings) {
  const std::string file = unpacked(head.path, "", inner_name(head.path),
                                    [&](TemporaryFile& out) { unpack_gzip(head.path, out); });
  return open_unpacked(head, file, settings, ", packed by gzip", {}, 0);
}

bool recognises_archive(const FileHead& head) { return starts_with(head.bytes, "PK\x03\x04"); }

namespace {

/// Small letters without the last ending, with the folder.
std::string stem_of(const std::string& name) {
  return lower_case(fs::path(name).replace_extension().string());
}

/// Whether one file describes what another with the same stem holds.
bool describes(const std::string& name) {
  const std::string ending = lower_case(fs::path(name).extension().string());
  return ending == ".cfg" || ending == ".sigmf-meta";
}

/// Files that may be read, without those that another describes.
std::vector<ArchiveMember> readable_members(const std::string& path) {
  std::vector<ArchiveMember> all = archive_members(path);
  std::erase_if(all, [](const ArchiveMember& m) {
    const std::string base = fs::path(m.name).filename().string();
    return m.bytes == 0 || base.empty() || m.name.ends_with("/") || starts_with(base, ".") ||
           starts_with(m.name, "__MACOSX/");
  });
  if (all.empty()) throw Error(Status::input, path + ": an archive without files; pack it again");
  if (all.size() > 4096)
    throw Error(Status::input, path + ": an archive of more than 4,096 files; unpack it first");
  std::set<std::string> described;
  for (const ArchiveMember& m : all)
    if (describes(m.name)) described.insert(stem_of(m.name));
  std::erase_if(all, [&](const ArchiveMember& m) {
    return !describes(m.name) && described.count(stem_of(m.name)) > 0;
  });
  return all;
}

}  // namespace

std::unique_ptr<SampleSource> open_archive(const FileHead& head, const ReadSettings& settings) {
  const std::vector<ArchiveMember> members = readable_members(head.path);
  std::vector<Part> parts;
  std::size_t largest = 0;
  for (const ArchiveMember& m : members) {
    if (m.bytes > members[largest].bytes) largest = parts.size();
    parts.push_back({clean_text(m.name), std::to_string(m.bytes) + " bytes"});
  }
  const std::size_t part = parts.size() == 1 ? 0 : choose_part(head.path, parts, settings, largest);
  const ArchiveMember& member = members[part];
  const auto name_in_folder = [](const ArchiveMember& m) { return fs::path(m.name).filename().string(); };
  const std::string file = unpacked(head.path, member.name, name_in_folder(member), [&](TemporaryFile& out) {
    unpack_archive_member(head.path, member.place, out);
    if (!describes(member.name)) return;
    for (const ArchiveMember& other : archive_members(head.path)) {
      if (other.place == member.place || stem_of(other.name) != stem_of(member.name)) continue;
      TemporaryFile beside(head.path, name_in_folder(other), out.folder());
      unpack_archive_member(head.path, other.place, beside);
      beside.finish();
    }
  });
  return open_unpacked(head, file, settings, ", packed in an archive",
                       parts.size() == 1 ? std::vector<Part>() : parts, part);
}

}  // namespace vprism
