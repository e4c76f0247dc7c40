// missing.cpp: see missing.h.
#include "condition/missing.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

#include "base/machine/clones.h"
#include "base/text.h"

namespace vprism {

namespace {

/// Whether all lie within the limit; NaN does not.
VPRISM_WIDE bool all_within(const double* x, std::size_t count, double limit) {
  constexpr std::size_t lanes = 8;
  double greatest[lanes] = {}, sum[lanes] = {};
  const auto join = [&](double value, std::size_t lane) __attribute__((always_inline)) {
    const double size = std::abs(value);
    greatest[lane] = size > greatest[lane] ? size : greatest[lane];
    sum[lane] += size * 0;  // NaN for NaN and for infinity.
  };
  std::size_t n = 0;
  for (; n + lanes <= count; n += lanes)
    for (std::size_t k = 0; k < lanes; ++k) join(x[n + k], k);
  for (; n < count; ++n) join(x[n], 0);
  for (std::size_t k = 1; k < lanes; ++k) {
    greatest[0] = std::max(greatest[0], greatest[k]);
    sum[0] += sum[k];
  }
  return greatest[0] <= limit && sum[0] == 0;
}

}  // namespace

void MissingCount::begin(std::size_t channels) {
  now_ = {};
  now_.channels.resize(channels);
}

void MissingCount::look(Block& block, bool keep_large) {
  std::vector<char> clean(block.columns());
  const auto check = [&](std::size_t column) {
    clean[column] = all_within(block.samples(column).data(), block.size(), greatest_sample);
  };
  if (block.columns() * block.size() > (std::size_t{1} << 16))
    oneapi::tbb::parallel_for(std::size_t{0}, block.columns(), check);
  else
    for (std::size_t column = 0; column < block.columns(); ++column) check(column);
  for (std::size_t column = 0; column < block.columns(); ++column) {
    if (clean[column]) continue;
    const std::span<double> x = block.samples(column);
    Channel& channel = now_.channels[column % block.channels()];
    const bool again = column >= block.channels();  // Of a complex channel either part may be missing.
    for (std::size_t n = 0; n < x.size(); ++n) {
      if (std::abs(x[n]) <= greatest_sample) continue;
      const bool large = std::isfinite(x[n]);
      if (large && keep_large) continue;
      if (again && std::isnan(block.samples(column - block.channels())[n])) {
        x[n] = std::nan("");
        continue;
      }
      ++(large ? channel.large : channel.missing);
      const std::int64_t at = block.first() + static_cast<std::int64_t>(n);
      if (channel.first < 0 || at < channel.first) {
        channel.first = at;
        if (block.stamped()) channel.first_stamp = block.stamps()[n];
      }
      x[n] = std::nan("");
      block.set_gaps(true);
    }
  }
  now_.stamped = block.stamped();
  now_.samples += static_cast<std::int64_t>(block.size());
}

void MissingCount::end() {
  if (now_.samples >= most_.samples) most_ = now_;
}

std::vector<Caution> MissingCount::cautions(const Recording& recording, const std::vector<Caution>& known,
                                            const std::string& where) const {
  std::vector<Caution> out;
  for (std::size_t c = 0; c < std::min(most_.channels.size(), recording.channels.size()); ++c) {
    const Channel& channel = most_.channels[c];
    const std::string& name = recording.channels[c].name;
    const bool said = std::any_of(known.begin(), known.end(), [&](const Caution& caution) {
      return caution.channel == name && (caution.code == "gaps" || caution.code == "interpolated");
    });
    if (channel.missing + channel.large == 0 || said) continue;
    const std::int64_t all = channel.missing + channel.large;
    const Axis& axis = recording.axis;
    const double first =
        most_.stamped ? channel.first_stamp : axis.start + axis.interval * static_cast<double>(channel.first);
    std::string text = std::to_string(all) + " of " + std::to_string(most_.samples) + " samples" +
                       (where.empty() ? "" : " " + where) + (all == 1 ? " is" : " are") + " no number";
    if (channel.large > 0)
      text += " (" + std::to_string(channel.large) + " of them larger than " +
              format_number(greatest_sample, 3) + ", too large to be analysed)";
    text += ", the first is sample " + std::to_string(channel.first + 1);
    if (axis.interval > 0 && axis.domain == Axis::Domain::time)
      text += " at " + format_quantity(first, "s", 6);
    out.push_back({"gaps", all == most_.samples ? Severity::serious : Severity::warning, name,
                   text + "; left as gaps",
                   channel.large > 0 ? "if they are meant, bring them into range with --chain 'scale 1e-60'"
                                     : "levels are those of what is there; spectra are averaged between the "
                                       "gaps"});
  }
  return out;
}

}  // namespace vprism
