// document.h: the result document, and what a command tells.
#pragma once

#include <nlohmann/json.hpp>
#include <string>
#include <vector>

#include "condition/stage.h"
#include "formats/files/output_folder.h"
#include "identify/findings/finding.h"
#include "render/figure.h"
#include "signal/recording.h"

namespace vprism {

using Json = nlohmann::ordered_json;

const char* version();

/// One input as the document lists it.
struct InputFacts {
  Recording recording;
  std::string digest;                  ///< Of joined files one for each, parted by blanks.
  std::vector<StageReport> chain;      ///< Calibration and conditioning, with what they did.
  std::vector<std::string> files;      ///< More than one where files are joined.
  std::string purpose = {};            ///< What it is for, and
  std::vector<std::string> next = {};  ///< lines to type; of `inspect` only.
};

/// What a command's settings, result and outputs become: one object, told as text, as JSON and as files.
struct Delivery {
  std::string command;
  Json settings = Json::object();
  std::vector<InputFacts> inputs;
  std::vector<Caution> cautions;
  Json results = Json::array();
  std::vector<Finding> findings;
  Json further = Json::object();   ///< What one command alone tells, under keys of its own.
  std::string text;                ///< For standard output.
  bool text_has_cautions = false;  ///< They are then not repeated on standard error.

  /// The document of DESIGN section 5; `outputs` may be empty.
  Json document(const std::vector<OutputFolder::Entry>& outputs) const;
  std::string document_text(const std::vector<OutputFolder::Entry>& outputs) const;

 private:
  /// Without the results.
  Json document_around(const std::vector<OutputFolder::Entry>& outputs) const;
};

/// Appends those of `more` that are not there yet.
void add_new_cautions(std::vector<Caution>& to, const std::vector<Caution>& more);

/// A JSON number; numbers that JSON can't hold become null.
Json number(double value);

/// dB of a level (20 log10) or power (10 log10) re `reference`; zero is shown as -400 dB.
double decibels(double value, bool amplitude, double reference = 1);

}  // namespace vprism
