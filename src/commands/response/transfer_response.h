// transfer_response.h: frequency responses that stand in a file already, or are one spectrum over another:
// bandwidth, readings, margins, resonances, and what random input makes.
#pragma once

#include <algorithm>
#include <cmath>
#include <optional>
#include <string>
#include <vector>

#include "commands/shared/input.h"
#include "identify/responses/transfer.h"

namespace vprism {

inline double gain_db(double gain) { return 20 * std::log10(std::max(gain, 1e-300)); }

/// What is asked of a response, wherever it comes from.
struct TransferSettings {
  std::vector<double> at_hz;            ///< Gain and phase there, in a table.
  bool unwrapped = false;               ///< Phases without jumps of whole turns.
  std::optional<double> input_density;  ///< One-sided, per hertz, of the square of the input's unit.
  bool reads() const { return !at_hz.empty() || input_density; }
};

struct NamedTransfer {
  std::string name;
  Channel channel;  ///< Its unit is that of the response.
  Unit output;      ///< Of what comes out for an input of `input`; "1" where not known.
  Unit input;
  TransferCurve curve;
  bool has_phase = true;  ///< False: real levels, of which nothing more than the gain is known.
  TransferFeatures features = {};
  std::vector<TransferMode> modes = {};
};

/// What is read of one curve.
struct TransferReadings {
  std::string name;
  Unit unit, output, input;
  bool has_phase = true;
  std::vector<std::optional<TransferBetween::Reading>> at;  ///< As many as were asked for.
  std::optional<double> output_rms;
};
TransferReadings readings_of(const NamedTransfer& transfer, const TransferSettings& settings,
                             const std::optional<Range>& span);

struct StoredResponse {
  InputFacts facts;
  std::vector<NamedTransfer> curves;
  std::vector<Caution> cautions;
  double low_hz = 0, high_hz = 0;  ///< Where resonances were sought.
  std::string how;                 ///< "as it stands in the file", "divided by input".
};

/// The complex channels of a recording over frequency; divided by those that `references` names where it
/// names one. Throws Error(usage) for a name that is not there, Error(analysis) for frequencies that do not
/// rise.
StoredResponse read_responses(Input& input, const std::vector<std::string>& references,
                              const std::optional<Range>& span, bool resonances);

/// Readings and the effect of random input, as a table and as JSON entries "at" and "random_input"; nothing
/// where nothing was asked for.
std::string readings_text(const std::vector<TransferReadings>& curves, const TransferSettings& settings);
void put_readings(const TransferReadings& readings, const TransferSettings& settings, Json& entry);

void report_responses(const StoredResponse& response, const TransferSettings& settings,
                      const std::optional<Range>& span, Delivery& delivery);
std::string responses_csv(const StoredResponse& response, const TransferSettings& settings);
Figure responses_figure(const StoredResponse& response, const TransferSettings& settings);

}  // namespace vprism
