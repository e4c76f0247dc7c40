// saved_transforms.cpp: see saved_transforms.h. The arrays are laid out by the HDF5 library; their numbers
// are written and read past it, group by group.
#include "formats/arrays/saved_transforms.h"

#include <fcntl.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <nlohmann/json.hpp>

#include "base/error.h"
#include "base/text.h"
#include "formats/array_file.h"
#include "formats/files/input_file.h"

namespace vprism {

namespace {

constexpr const char* transforms_layout = "vprism transforms 1";

std::uint64_t place_of(const std::string& path, const char* name) {
  const auto place = array_place_hdf5(path, name);
  if (!place || place->offset == 0) throw Error(Status::output, path + ": the file could not be written");
  return place->offset;
}

class SavedTransformsSource : public PointSource {
 public:
  SavedTransformsSource(const FileHead& head, const ArrayPlace& place)
      : file_(head.path), offset_(place.offset) {
    const auto about = nlohmann::json::parse(place.about, nullptr, false);
    if (!about.is_object() || offset_ == 0 || place.shape.size() != 3) damaged("transforms");
    PointRecording& r = recording_;
    r.file = head.path;
    r.format = "HDF5, saved transforms";
    try {
      r.frames = about.at("frames").get<std::int64_t>();
      const double rate = about.at("rate_hz").get<double>();
      if (!(rate > 0) || r.frames < 16 || r.frames > (std::int64_t{1} << 40)) damaged("transforms");
      r.axis.interval = 1 / rate;
      r.axis.source = "saved transforms";
      saved_.window = about.at("window").get<std::string>();
      r.notes.emplace_back("made from", clean_text(about.at("made_from").get<std::string>()) + ", " +
                                            clean_text(about.at("digest").get<std::string>()));
      for (const auto& v : about.at("variables")) {
        Channel channel;
        channel.name = clean_text(v.at("name").get<std::string>());
        const std::string unit = v.at("unit").get<std::string>();
        channel.unit = Unit::try_parse(unit).value_or(Unit::opaque(clean_text(unit)));
        channel.quantity = quantity_of(channel.unit);
        r.variables.push_back(std::move(channel));
      }
    } catch (const nlohmann::json::exception&) {
      damaged("transforms");
    }
    const std::size_t points = place.shape[0], variables = place.shape[1];
    if (variables == 0 || points == 0 || variables != r.variables.size() || place.shape[2] != series_length())
      damaged("transforms");
    for (NamedArray& a :
         read_arrays_hdf5(head.path, {"/rms", "/mean_square_in_time", "/coordinates", "/labels"})) {
      if (a.name == "/rms") saved_.rms = rows_of(a, variables, points);
      if (a.name == "/mean_square_in_time")
        saved_.mean_square_in_time = rows_of(a, variables, static_cast<std::size_t>(r.frames));
      if (a.name == "/coordinates" && a.values.size() == 3 * points)
        for (std::size_t p = 0; p < points; ++p)
          r.points.push_back(
              {static_cast<std::int64_t>(p) + 1, a.values[3 * p], a.values[3 * p + 1], a.values[3 * p + 2]});
      if (a.name == "/labels" && a.values.size() == points && r.points.size() == points)
        for (std::size_t p = 0; p < points; ++p)
          if (std::abs(a.values[p]) < 9e15) r.points[p].label = static_cast<std::int64_t>(a.values[p]);
    }
    if (saved_.rms.empty() || saved_.mean_square_in_time.empty() || r.points.size() != points)
      damaged("points");
  }

  const PointRecording& recording() const override { return recording_; }
  const SavedTransforms* saved() const override { return &saved_; }
  void read(std::span<const PointRun> runs, std::span<double> out, std::size_t step) override {
    const std::size_t variables = recording_.variables.size(), length = series_length();
    std::size_t to = 0;
    for (const PointRun& run : runs)
      for (std::size_t s = run.first * variables; s < (run.first + run.count) * variables; ++s)
        file_.read(offset_ + 8 * length * s, {reinterpret_cast<char*>(&out[to++ * step]), 8 * length});
  }

 private:
  [[noreturn]] void damaged(const char* what) const {
    throw Error(Status::input, file_.name() + ": damaged file of transforms: its " + what +
                                   " are not as they should be; make it again");
  }
  std::vector<std::vector<double>> rows_of(const NamedArray& a, std::size_t rows, std::size_t columns) const {
    if (a.values.size() != rows * columns) damaged("sums");
    std::vector<std::vector<double>> out;
    for (std::size_t i = 0; i < rows; ++i)
      out.emplace_back(a.values.begin() + static_cast<std::ptrdiff_t>(i * columns),
                       a.values.begin() + static_cast<std::ptrdiff_t>((i + 1) * columns));
    return out;
  }

  InputFile file_;
  std::uint64_t offset_;
  PointRecording recording_;
  SavedTransforms saved_;
};

}  // namespace

SavedTransformsWriter::SavedTransformsWriter(std::string path, const PointRecording& r,
                                             const std::string& window, const std::string& digest)
    : path_(std::move(path)), window_(window) {
  const auto frames = static_cast<std::size_t>(r.frames);
  const std::size_t points = r.points.size(), variables = r.variables.size();
  nlohmann::ordered_json about = {{"made_from", r.file}, {"digest", digest},
                                  {"frames", r.frames},  {"rate_hz", r.axis.rate_hz()},
                                  {"window", window},    {"variables", nlohmann::json::array()}};
  for (const Channel& v : r.variables)
    about["variables"].push_back({{"name", v.name}, {"unit", v.unit.text()}});
  NamedArray transforms{"/transforms",
                        {points, variables, 2 * (frames / 2 + 1)},
                        {},
                        false,
                        {{"about", about.dump(-1, ' ', false, nlohmann::json::error_handler_t::replace)}},
                        {}};
  NamedArray places{"/coordinates", {points, 3}, {}, false, {}, {}},
      labels{"/labels", {points}, {}, false, {}, {}};
  for (const Node& n : r.points) {
    places.values.insert(places.values.end(), {n.x, n.y, n.z});
    labels.values.push_back(static_cast<double>(n.label));
  }
  write_arrays_hdf5(path_,
                    {transforms,
                     {"/rms", {variables, points}, {}, false, {}, {}},
                     {"/mean_square_in_time", {variables, frames}, {}, false, {}, {}},
                     places,
                     labels},
                    {{"layout", transforms_layout}});
  transforms_ = place_of(path_, "/transforms"), rms_ = place_of(path_, "/rms"),
  in_time_ = place_of(path_, "/mean_square_in_time");
  each_ = variables * 2 * (frames / 2 + 1);
  descriptor_ = ::open(path_.c_str(), O_WRONLY | O_CLOEXEC);
  if (descriptor_ < 0) throw Error(Status::output, path_ + ": can't be written: " + std::strerror(errno));
}

SavedTransformsWriter::~SavedTransformsWriter() {
  if (descriptor_ >= 0) ::close(descriptor_);
}

void SavedTransformsWriter::put(std::uint64_t offset, std::span<const double> values) {
  const char* from = reinterpret_cast<const char*>(values.data());
  for (std::size_t left = values.size_bytes(); left > 0;) {
    const ssize_t count = ::pwrite(descriptor_, from, left, static_cast<off_t>(offset));
    if (count < 0 && errno == EINTR) continue;
    if (count <= 0) throw Error(Status::output, path_ + ": can't be written: " + std::strerror(errno));
    from += count, offset += static_cast<std::uint64_t>(count), left -= static_cast<std::size_t>(count);
  }
}

void SavedTransformsWriter::add(std::size_t first, std::size_t count, std::span<const double> values) {
  put(transforms_ + 8 * each_ * first, values.first(count * each_));
}

void SavedTransformsWriter::finish(const std::vector<std::vector<double>>& rms,
                                   const std::vector<std::vector<double>>& mean_square_in_time) {
  for (std::size_t v = 0; v < rms.size(); ++v) {
    put(rms_ + 8 * v * rms[v].size(), rms[v]);
    put(in_time_ + 8 * v * mean_square_in_time[v].size(), mean_square_in_time[v]);
  }
}

std::unique_ptr<PointSource> open_saved_transforms(const FileHead& head) {
  const auto place = array_place_hdf5(head.path, "/transforms");
  if (!place || place->about.empty()) return nullptr;
  return std::make_unique<SavedTransformsSource>(head, *place);
}

}  // namespace vprism
