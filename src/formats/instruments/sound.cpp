// sound.cpp: sound files by libsndfile.
//
// Integer samples are handed on as fractions of full scale (unit FS), float samples as they are stored. Track
// names come from the iXML chunk (TRACK_LIST/TRACK/NAME), which field recorders write; a unit in brackets
// behind a name is taken.
#include <sndfile.h>

#include <algorithm>
#include <cstring>
#include <fstream>
#include <pugixml.hpp>

#include "base/error.h"
#include "base/text.h"
#include "formats/arrays/number_type.h"
#include "formats/format.h"
#include "formats/instruments/unclosed_riff.h"

namespace vprism {

namespace {

std::uint32_t little32(const unsigned char* p) {
  return std::uint32_t{p[0]} | std::uint32_t{p[1]} << 8 | std::uint32_t{p[2]} << 16 |
         std::uint32_t{p[3]} << 24;
}

/// Bytes from `at` on that are no further chunks.
std::uint64_t beyond_data(std::ifstream& file, std::uint64_t at, std::uint64_t size) {
  char chunk[8];
  while (at + 8 <= size && file.seekg(static_cast<std::streamoff>(at)) && file.read(chunk, 8)) {
    const bool named = std::all_of(chunk, chunk + 4, [](char c) { return c >= 0x20 && c < 0x7F; });
    const std::uint64_t length = little32(reinterpret_cast<const unsigned char*>(chunk) + 4);
    if (!named || length > size - at - 8) return size - at;
    at += 8 + length + (length & 1);
  }
  return 0;
}

/// libsndfile quietly reads what there is of a RIFF file that was cut; an engineer must know. Walks the
/// chunks and throws when the data chunk claims more bytes than follow it. (0 and 0xFFFFFFFF mean a recorder
/// that never closed its file.)
/// Gives the bytes behind the data that belong to no chunk; `unclosed` where the data chunk stands that says
/// 0 bytes though samples follow.
std::uint64_t check_riff_length(const FileHead& head, std::uint64_t& unclosed) {
  if (!starts_with(head.bytes, "RIFF")) return 0;
  std::ifstream file(head.path, std::ios::binary);
  std::uint64_t at = 12;
  unsigned char chunk[8];
  while (at + 8 <= head.size && file.seekg(static_cast<std::streamoff>(at)) &&
         file.read(reinterpret_cast<char*>(chunk), 8)) {
    const std::uint32_t size = little32(chunk + 4);
    const bool data = std::memcmp(chunk, "data", 4) == 0;
    if (data && size != 0xFFFFFFFFu && size > head.size - at - 8)
      throw Error(Status::input, head.path + ": cut short: its header promises " + std::to_string(size) +
                                     " bytes of samples, " + std::to_string(head.size - at - 8) +
                                     " are there; copy or export it again");
    const std::uint64_t next = at + 8 + std::uint64_t{size} + (size & 1);
    if (data && size != 0xFFFFFFFFu && size != 0) return beyond_data(file, next, head.size);
    if (data && size == 0 && head.size > at + 8 && beyond_data(file, at + 8, head.size) > 0) unclosed = at;
    if (data) return 0;
    at = next;
  }
  return 0;
}

class Sound : public SampleSource {
 public:
  Sound(const FileHead& head, const ReadSettings& settings) {
    std::uint64_t unclosed = 0;
    const std::uint64_t beyond = check_riff_length(head, unclosed);
    SF_INFO info{};
    if (unclosed > 0) {
      unclosed_ = std::make_unique<UnclosedRiff>(head.path, head.size, unclosed);
      recording_.cautions.push_back(
          {"length-unwritten", Severity::warning, "",
           "the header says 0 bytes of samples, as recorders leave it that were not "
           "stopped: all " +
               std::to_string(head.size - unclosed - 8) + " bytes behind it are taken",
           "the last sample may be cut in two"});
    }
    file_ = unclosed_ ? unclosed_->open(info) : sf_open(head.path.c_str(), SFM_READ, &info);
    if (file_ == nullptr)
      throw Error(
          Status::input,
          head.path + ": damaged sound file: " +
              (info.samplerate <= 0 || info.channels <= 0
                   ? std::string("its header says no rate, or no channels, or holds its samples twice")
                   : clean_text(sf_strerror(nullptr))) +
              "; export it again, or read its numbers with --binary and --rate");
    const int kind = info.format & SF_FORMAT_SUBMASK;
    // Others decode what stands before, or something like it, once more.
    exact_seek_ = kind == SF_FORMAT_PCM_S8 || kind == SF_FORMAT_PCM_U8 || kind == SF_FORMAT_PCM_16 ||
                  kind == SF_FORMAT_PCM_24 || kind == SF_FORMAT_PCM_32 || kind == SF_FORMAT_FLOAT ||
                  kind == SF_FORMAT_DOUBLE;
    stored_as_float_ = kind == SF_FORMAT_FLOAT || kind == SF_FORMAT_DOUBLE;
    recording_.file = head.path;
    recording_.format = format_text(info.format);
    raw_ = raw_type(info.format);
    recording_.samples = info.frames;
    channels_ = static_cast<std::size_t>(std::max(info.channels, 0));
    if (recording_.samples <= 0 || channels_ == 0) {
      sf_close(file_);
      throw Error(Status::input, head.path + ": the sound file holds no samples; export it again");
    }
    if (beyond > 8)
      recording_.cautions.push_back(
          {"length-disagrees", Severity::warning, "",
           "the header promises " + std::to_string(recording_.samples) + " samples; " +
               std::to_string(beyond) + " bytes behind them belong to nothing and are left out",
           "the recorder may not have closed the file: read all of it with --binary, skip=44"});
    name_channels();
    make_names_distinct(recording_.channels);
    settle_interval(recording_, settings, info.samplerate > 0 ? 1.0 / info.samplerate : 0, "file header");
  }
  ~Sound() override { sf_close(file_); }
  Sound(const Sound&) = delete;
  Sound& operator=(const Sound&) = delete;

  const Recording& recording() const override { return recording_; }
  void rewind() override {
    sf_seek(file_, 0, SEEK_SET);
    at_ = 0;
  }
  std::int64_t seek(std::int64_t sample) override {
    if (!exact_seek_) return -1;
    at_ = block_start(sample);
    return sf_seek(file_, at_, SEEK_SET) == at_ ? at_ : -1;
  }

  std::size_t read(Block& block) override {
    const std::size_t wanted = std::min(block.capacity(), static_cast<std::size_t>(recording_.samples - at_));
    if (raw_ != nullptr) return read_raw(block, wanted);
    frames_.resize(wanted * channels_);
    const sf_count_t got =
        wanted == 0 ? 0 : sf_readf_double(file_, frames_.data(), static_cast<sf_count_t>(wanted));
    const auto count = static_cast<std::size_t>(std::max<sf_count_t>(got, 0));
    require(count, wanted);
    bool gaps = false;
    for (std::size_t c = 0; c < channels_; ++c) {
      const auto room = block.room(c);
      for (std::size_t n = 0; n < count; ++n) room[n] = frames_[n * channels_ + c];
      gaps = (stored_as_float_ && mark_missing(room.data(), count)) || gaps;
    }
    block.set(at_, count);
    block.set_gaps(gaps);
    at_ += got;
    return count;
  }

 private:
  void require(std::size_t count, std::size_t wanted) const {
    if (count < wanted)
      throw Error(Status::input, recording_.file + ": damaged after sample " +
                                     std::to_string(at_ + static_cast<std::int64_t>(count)) + " of " +
                                     std::to_string(recording_.samples) + "; export it again");
  }

  /// Plain little-endian numbers are taken as the library finds them, without a detour over its own buffers.
  std::size_t read_raw(Block& block, std::size_t wanted) {
    const std::size_t frame = raw_->size * channels_;
    bytes_.resize(wanted * frame);
    const sf_count_t got =
        wanted == 0 ? 0 : sf_read_raw(file_, bytes_.data(), static_cast<sf_count_t>(bytes_.size()));
    require(static_cast<std::size_t>(std::max<sf_count_t>(got, 0)) / frame, wanted);
    bool gaps = false;
    for (std::size_t c = 0; c < channels_; ++c) {
      double* const room = block.room(c).data();
      raw_->decode(bytes_.data() + c * raw_->size, frame, wanted, room);
      if (stored_as_float_) {
        gaps = mark_missing(room, wanted) || gaps;
      } else {
        const double scale = 1 / -raw_->least;  // Full scale.
        for (std::size_t n = 0; n < wanted; ++n) room[n] *= scale;
      }
    }
    block.set(at_, wanted);
    block.set_gaps(gaps);
    at_ += static_cast<std::int64_t>(wanted);
    return wanted;
  }

  static const NumberType* raw_type(int format) {
    const int container = format & SF_FORMAT_TYPEMASK;
    if ((format & SF_FORMAT_ENDMASK) != SF_ENDIAN_FILE ||
        (container != SF_FORMAT_WAV && container != SF_FORMAT_WAVEX && container != SF_FORMAT_RF64 &&
         container != SF_FORMAT_W64))
      return nullptr;
    switch (format & SF_FORMAT_SUBMASK) {
      case SF_FORMAT_PCM_16:
        return find_number_type("i16le");
      case SF_FORMAT_PCM_32:
        return find_number_type("i32le");
      case SF_FORMAT_FLOAT:
        return find_number_type("f32le");
      case SF_FORMAT_DOUBLE:
        return find_number_type("f64le");
      default:
        return nullptr;
    }
  }

  static std::string format_text(int format) {
    const auto name = [](int command, int code) {
      SF_FORMAT_INFO info{};
      info.format = code;
      return sf_command(nullptr, command, &info, sizeof info) == 0 && info.name != nullptr
                 ? std::string(info.name)
                 : std::string("?");
    };
    const std::string container = name(SFC_GET_FORMAT_INFO, format & SF_FORMAT_TYPEMASK);
    return container.substr(0, container.find(" (")) + ", " +
           name(SFC_GET_FORMAT_INFO, format & SF_FORMAT_SUBMASK);
  }

  void name_channels() {
    const Unit unit = stored_as_float_ ? Unit() : Unit::parse("FS");
    for (std::size_t c = 0; c < channels_; ++c)
      recording_.channels.push_back({"channel " + std::to_string(c + 1), unit, ""});
    SF_CHUNK_INFO chunk{};
    std::memcpy(chunk.id, "iXML", 5);
    chunk.id_size = 4;
    SF_CHUNK_ITERATOR* iterator = sf_get_chunk_iterator(file_, &chunk);
    if (iterator == nullptr || sf_get_chunk_size(iterator, &chunk) != SF_ERR_NO_ERROR ||
        chunk.datalen > (1u << 22))
      return;
    std::string text(chunk.datalen, '\0');
    chunk.data = text.data();
    if (sf_get_chunk_data(iterator, &chunk) != SF_ERR_NO_ERROR) return;
    pugi::xml_document document;
    if (!document.load_buffer(text.data(), text.find_last_not_of('\0') + 1)) return;
    for (const pugi::xml_node track : document.child("BWFXML").child("TRACK_LIST").children("TRACK")) {
      const int index =
          track.child("INTERLEAVE_INDEX").text().as_int(track.child("CHANNEL_INDEX").text().as_int());
      const Channel named = channel_from_title(track.child("NAME").text().as_string());
      if (index < 1 || static_cast<std::size_t>(index) > channels_ || named.name.empty()) continue;
      Channel& channel = recording_.channels[static_cast<std::size_t>(index - 1)];
      channel.name = named.name;
      if (named.unit.text() != "1") channel.unit = named.unit;
      channel.quantity = quantity_of(channel.unit);
    }
  }

  std::unique_ptr<UnclosedRiff> unclosed_;
  SNDFILE* file_ = nullptr;
  bool stored_as_float_ = false, exact_seek_ = false;
  std::size_t channels_ = 0;
  Recording recording_;
  std::int64_t at_ = 0;
  std::vector<double> frames_;
  const NumberType* raw_ = nullptr;
  std::vector<char> bytes_;
};

}  // namespace

bool recognises_sound(const FileHead& head) {
  const std::string_view b = head.bytes;
  if (starts_with(b, "RIFF") || starts_with(b, "RF64") || starts_with(b, "RIFX"))
    return b.size() < 12 || b.substr(8, 4) == "WAVE";
  return starts_with(b, "fLaC") || starts_with(b, "riff\x2E\x91\xCF\x11") || starts_with(b, "FORM") ||
         starts_with(b, "caff");
}

std::unique_ptr<SampleSource> open_sound(const FileHead& head, const ReadSettings& settings) {
  return std::make_unique<Sound>(head, settings);
}

}  // namespace vprism
