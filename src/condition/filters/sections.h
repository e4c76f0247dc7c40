// sections.h: running second-order sections over a column, forward only or forward and backward.
#pragma once

#include <memory>
#include <vector>

#include "condition/column.h"
#include "condition/filters/filter_design.h"

namespace vprism {

/// Second-order sections with their memory, in transposed direct form II.
class SectionRunner {
 public:
  explicit SectionRunner(std::vector<Section> sections);
  /// As if the input had always been x.
  void settle(double x);
  /// Filters in place. After a missing sample it settles anew; before the first sample likewise.
  void run(double* x, std::size_t count);

 private:
  struct Memory {
    double one = 0, two = 0;
  };
  void run_present(double* x, std::size_t count);
  std::vector<Section> sections_;
  std::vector<Memory> memory_;
  bool settled_ = false;
};

/// Samples after which what the filter remembers has died down to 1e-12.
std::size_t settling_samples(const std::vector<Section>& sections);

/// Forward only, begun on the signal's own course: what linear prediction (Burg 1975) says of the time before
/// the first samples is run through first, so that neither a level nor a tone makes a step. The first samples
/// are held for it: a twelfth of what the filter takes to settle, 32 to 2,048.
std::unique_ptr<ColumnWorker> make_causal_filter(const std::vector<Section>& sections);

/// Forward, then backward: no phase, the gain squared. The record is continued at both ends by odd
/// reflection. The way back is made in stretches that begin `settling_samples` later than what they keep, so
/// that memory does not grow with the record.
std::unique_ptr<ColumnWorker> make_zero_phase_filter(const std::vector<Section>& sections,
                                                     std::size_t samples);

}  // namespace vprism
