// sound_writer.cpp: WAV by libsndfile, RF64 where it grows beyond 4 GB. Names and units go into the iXML
// chunk that sound.cpp reads. Floats are stored as they are; integers as fractions of full scale.
#include <sndfile.h>

#include <algorithm>
#include <cmath>
#include <pugixml.hpp>
#include <sstream>

#include "base/error.h"
#include "base/text.h"
#include "formats/writer.h"

namespace vprism {

namespace {

class SoundWriter : public RecordingWriter {
 public:
  SoundWriter(const std::string& path, const Recording& r, const WriteSettings& settings)
      : path_(path), file_name_(r.file), channels_(r.channels.size()) {
    const auto refuse = [&](const std::string& why) {
      throw Error(Status::analysis, r.file + ": " + why + "; write hdf5 or csv");
    };
    if (r.axis.stamped) refuse("a sound file can't hold uneven samples");
    if (r.complex) refuse("a sound file can't hold complex channels");
    if (!(r.axis.interval > 0)) refuse("a sound file needs a rate: give --rate, or");
    const double rate = 1 / r.axis.interval;
    if (rate < 1 || rate > 2147483647.0 || std::abs(rate - std::round(rate)) > 1e-9 * rate)
      refuse("a sound file holds whole rates only, not " + format_quantity(rate, "Hz", 12));
    if (r.channels.size() > 1024) refuse("a sound file holds at most 1024 channels");
    SF_INFO info{};
    info.samplerate = static_cast<int>(std::lround(rate));
    info.channels = static_cast<int>(channels_);
    const std::uint64_t bytes = static_cast<std::uint64_t>(r.samples) * channels_ * 8;
    info.format = bytes > 0xF0000000u ? SF_FORMAT_RF64 : SF_FORMAT_WAV;
    const std::pair<const char*, int> kinds[] = {{"f64", SF_FORMAT_DOUBLE},
                                                 {"f32", SF_FORMAT_FLOAT},
                                                 {"i16", SF_FORMAT_PCM_16},
                                                 {"i24", SF_FORMAT_PCM_24},
                                                 {"i32", SF_FORMAT_PCM_32}};
    int kind = 0;
    for (const auto& [name, value] : kinds)
      if (settings.numbers == name) kind = value;
    if (kind == 0)
      throw Error(Status::usage, "--numbers " + settings.numbers + ": wav takes f64, f32, i16, i24 or i32");
    info.format |= kind;
    bits_ = kind == SF_FORMAT_PCM_16 ? 16 : kind == SF_FORMAT_PCM_24 ? 24 : kind == SF_FORMAT_PCM_32 ? 32 : 0;
    file_ = sf_open(path.c_str(), SFM_WRITE, &info);
    // A peak chunk holds the time of day: the same samples would not give the same bytes.
    if (file_ != nullptr) sf_command(file_, SFC_SET_ADD_PEAK_CHUNK, nullptr, SF_FALSE);
    if (file_ == nullptr) fail();
    name_tracks(r);
  }
  ~SoundWriter() override {
    if (file_ != nullptr) sf_close(file_);
  }
  SoundWriter(const SoundWriter&) = delete;
  SoundWriter& operator=(const SoundWriter&) = delete;

  void add(const Block& block) override {
    const std::size_t count = block.size() * channels_;
    if (bits_ == 0) {
      frames_.resize(count);
      for (std::size_t c = 0; c < channels_; ++c)
        for (std::size_t n = 0; n < block.size(); ++n)
          frames_[n * channels_ + c] = checked(block.samples(c)[n]);
      if (sf_writef_double(file_, frames_.data(), static_cast<sf_count_t>(block.size())) !=
          static_cast<sf_count_t>(block.size()))
        fail();
      return;
    }
    // libsndfile takes the upper bits of a 32-bit integer; full scale is 2^31.
    whole_.resize(count);
    const double step = std::ldexp(1.0, 32 - bits_);
    for (std::size_t c = 0; c < channels_; ++c)
      for (std::size_t n = 0; n < block.size(); ++n) {
        const double level = std::nearbyint(checked(block.samples(c)[n]) * 2147483648.0 / step) * step;
        clipped_ += level > 2147483648.0 - step || level < -2147483648.0;
        whole_[n * channels_ + c] = static_cast<int>(std::clamp(level, -2147483648.0, 2147483648.0 - step));
      }
    if (sf_writef_int(file_, whole_.data(), static_cast<sf_count_t>(block.size())) !=
        static_cast<sf_count_t>(block.size()))
      fail();
  }
  void finish() override {
    const int code = sf_close(file_);
    file_ = nullptr;
    if (code != 0) fail();
  }
  std::vector<Caution> cautions() const override {
    if (clipped_ == 0) return {};
    return {{"clipping", Severity::serious, "",
             std::to_string(clipped_) + " values lie beyond full scale and were clipped",
             "write --numbers f64, or scale the signal first"}};
  }

 private:
  double checked(double x) const {
    if (std::isnan(x))
      throw Error(Status::analysis,
                  file_name_ + ": missing samples can't be held by a sound file; write hdf5 or csv");
    return x;
  }
  [[noreturn]] void fail() const {
    throw Error(Status::output, path_ + ": can't be written: " + clean_text(sf_strerror(file_)));
  }

  void name_tracks(const Recording& r) {
    pugi::xml_document document;
    pugi::xml_node list = document.append_child("BWFXML").append_child("TRACK_LIST");
    for (std::size_t c = 0; c < channels_; ++c) {
      pugi::xml_node track = list.append_child("TRACK");
      track.append_child("CHANNEL_INDEX").text().set(static_cast<unsigned>(c + 1));
      track.append_child("NAME").text().set(channel_title(r.channels[c]).c_str());
    }
    std::ostringstream text;
    document.save(text, "", pugi::format_raw | pugi::format_no_declaration);
    std::string bytes = text.str();
    bytes.resize((bytes.size() + 3) / 4 * 4, ' ');
    SF_CHUNK_INFO chunk{};
    std::copy_n("iXML", 5, chunk.id);
    chunk.id_size = 4;
    chunk.datalen = static_cast<unsigned>(bytes.size());
    chunk.data = bytes.data();
    sf_set_chunk(file_, &chunk);
  }

  std::string path_, file_name_;
  std::size_t channels_;
  SNDFILE* file_ = nullptr;
  int bits_ = 0;
  std::int64_t clipped_ = 0;
  std::vector<double> frames_;
  std::vector<int> whole_;
};

}  // namespace

std::unique_ptr<RecordingWriter> write_sound(const std::vector<std::string>& paths,
                                             const Recording& recording, const WriteSettings& settings) {
  return std::make_unique<SoundWriter>(paths[0], recording, settings);
}

}  // namespace vprism
