// sound_file.cpp: channels in memory as the bytes of a WAV file, names in its iXML chunk.
#include <fmt/format.h>
#include <sndfile.h>

#include <cstring>
#include <stdexcept>

#include "recordings.h"

namespace vprism::demo {

namespace {

/// A file in memory, for libsndfile.
struct Memory {
  std::string bytes;
  std::size_t at = 0;
};

}  // namespace

std::string sound_file(const std::vector<std::string>& titles,
                       const std::vector<std::vector<double>>& channels, int rate) {
  std::string names;
  for (std::size_t c = 0; c < titles.size(); ++c)
    names += fmt::format(
        "<TRACK><CHANNEL_INDEX>{0}</CHANNEL_INDEX><INTERLEAVE_INDEX>{0}</INTERLEAVE_INDEX><NAME>{1}"
        "</NAME></TRACK>",
        c + 1, titles[c]);
  std::string ixml = fmt::format(
      "<?xml version=\"1.0\" "
      "encoding=\"UTF-8\"?><BWFXML><IXML_VERSION>1.5</IXML_VERSION><TRACK_LIST><TRACK_COUNT>{}</"
      "TRACK_COUNT>{}</TRACK_LIST></BWFXML>",
      channels.size(), names);
  ixml.resize((ixml.size() + 3) / 4 * 4, ' ');

  SF_VIRTUAL_IO io{};
  io.get_filelen = [](void* user) {
    return static_cast<sf_count_t>(static_cast<Memory*>(user)->bytes.size());
  };
  io.seek = [](sf_count_t offset, int whence, void* user) {
    auto& m = *static_cast<Memory*>(user);
    m.at = static_cast<std::size_t>(offset + (whence == SEEK_CUR   ? static_cast<sf_count_t>(m.at)
                                              : whence == SEEK_END ? static_cast<sf_count_t>(m.bytes.size())
                                                                   : 0));
    return static_cast<sf_count_t>(m.at);
  };
  io.read = [](void* to, sf_count_t count, void* user) {
    auto& m = *static_cast<Memory*>(user);
    const std::size_t n =
        std::min(static_cast<std::size_t>(count), m.bytes.size() - std::min(m.at, m.bytes.size()));
    std::memcpy(to, m.bytes.data() + m.at, n);
    m.at += n;
    return static_cast<sf_count_t>(n);
  };
  io.write = [](const void* from, sf_count_t count, void* user) {
    auto& m = *static_cast<Memory*>(user);
    m.bytes.resize(std::max(m.bytes.size(), m.at + static_cast<std::size_t>(count)));
    std::memcpy(m.bytes.data() + m.at, from, static_cast<std::size_t>(count));
    m.at += static_cast<std::size_t>(count);
    return count;
  };
  io.tell = [](void* user) { return static_cast<sf_count_t>(static_cast<Memory*>(user)->at); };

  Memory memory;
  SF_INFO info{};
  info.samplerate = rate;
  info.channels = static_cast<int>(channels.size());
  info.format = SF_FORMAT_WAV | SF_FORMAT_FLOAT;
  SNDFILE* file = sf_open_virtual(&io, SFM_WRITE, &info, &memory);
  if (file == nullptr) throw std::runtime_error(sf_strerror(nullptr));
  sf_command(file, SFC_SET_ADD_PEAK_CHUNK, nullptr, SF_FALSE);  // It holds the time of writing.
  SF_CHUNK_INFO chunk{};
  std::memcpy(chunk.id, "iXML", 5);
  chunk.id_size = 4;
  chunk.datalen = static_cast<unsigned>(ixml.size());
  chunk.data = ixml.data();
  sf_set_chunk(file, &chunk);
  std::vector<float> frames;
  for (std::size_t n = 0; n < channels.front().size(); ++n)
    for (const auto& x : channels) frames.push_back(static_cast<float>(x[n]));
  sf_writef_float(file, frames.data(), static_cast<sf_count_t>(channels.front().size()));
  sf_close(file);
  return memory.bytes;
}

}  // namespace vprism::demo
