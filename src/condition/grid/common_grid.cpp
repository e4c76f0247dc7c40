// common_grid.cpp: see common_grid.h.
#include "condition/grid/common_grid.h"

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "condition/grid/grid_choice.h"
#include "condition/road.h"
#include "signal/join_alike.h"

namespace vprism {

namespace {

/// As alike as clocks are that count the same samples.
bool same_rate(double a, double b) { return std::abs(a - b) <= 1e-6 * b; }

/// The rate that suits a source with uneven steps.
double rate_of(SampleSource& source) {
  GridChoice choice;
  Block block = source.make_block();
  source.rewind();
  while (source.read(block) > 0) choice.add(block);
  source.rewind();
  return choice.rate_hz(source.recording().axis.rate_hz());
}

/// What comes out of the chain, in memory, with its cautions and `done`.
std::unique_ptr<SampleSource> passed_through(std::unique_ptr<SampleSource> source, Chain chain,
                                             Caution done) {
  Road road(std::move(source), std::move(chain));
  road.resolve();
  std::vector<std::vector<double>> columns(road.recording().channels.size() *
                                           (road.recording().complex ? 2 : 1));
  road.run([&](Block& block) {
    for (std::size_t c = 0; c < columns.size(); ++c)
      columns[c].insert(columns[c].end(), block.samples(c).begin(), block.samples(c).end());
  });
  Recording recording = road.recording();
  for (const StageReport& report : road.reports())
    recording.cautions.insert(recording.cautions.end(), report.cautions.begin(), report.cautions.end());
  for (Caution& caution : road.cautions()) recording.cautions.push_back(std::move(caution));
  recording.cautions.push_back(std::move(done));
  return std::make_unique<MemorySource>(std::move(recording), std::move(columns));
}

}  // namespace

std::vector<std::unique_ptr<SampleSource>> on_common_grid(
    std::vector<std::unique_ptr<SampleSource>> sources) {
  for (auto& source : sources) source->resolve();
  bool uneven = false, other = false, usable = true;
  const Axis& lead = sources.front()->recording().axis;
  for (const auto& source : sources) {
    const Axis& axis = source->recording().axis;
    usable = usable && axis.domain == Axis::Domain::time && axis.interval > 0;
    uneven = uneven || axis.stamped;
    other = other || !same_rate(axis.interval, lead.interval);
  }
  if (!usable || (!uneven && !other)) return sources;
  double fastest = 0;
  std::vector<double> rates;
  for (const auto& source : sources) {
    const Axis& axis = source->recording().axis;
    rates.push_back(axis.stamped ? rate_of(*source) : axis.rate_hz());
    if (!axis.stamped) fastest = std::max(fastest, rates.back());
  }
  // Of uneven steps the rate is a choice: an even one that is about as fast serves as well.
  constexpr double about = 1.5;
  for (const double rate : rates)
    if (rate > about * fastest) fastest = rate;
  const JoinedStarts starts = starts_of(sources);
  const double latest = *std::max_element(starts.at_s.begin(), starts.at_s.end());
  for (std::size_t i = 0; i < sources.size(); ++i) {
    const Recording& r = sources[i]->recording();
    if (!r.axis.stamped && same_rate(r.axis.rate_hz(), fastest)) continue;
    const std::string was =
        r.axis.stamped ? "uneven steps, " + format_quantity(r.axis.rate_hz(), "Hz", 6) + " on average"
                       : format_quantity(r.axis.rate_hz(), "Hz", 9);
    Caution done{
        "rate-joined", Severity::note, "",
        was + ": brought to " + format_quantity(fastest, "Hz", 9) + ", " +
            (uneven && !other ? "a rate that suits the steps" : "the fastest file's rate") +
            (r.axis.stamped ? ", by interpolation"
                            : "; it holds nothing above " + format_quantity(r.axis.rate_hz() / 2, "Hz", 4)),
        "--chain resample or regrid takes another rate behind the joining"};
    Chain chain;
    if (r.axis.stamped)
      chain.push_back(make_grid_through(fastest, r.axis.start + latest - starts.at_s[i]));
    else
      chain = parse_chain("resample " + format_quantity(fastest, "Hz", 17));
    sources[i] = passed_through(std::move(sources[i]), std::move(chain), std::move(done));
  }
  return sources;
}

}  // namespace vprism
