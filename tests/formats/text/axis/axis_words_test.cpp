// What settings above a table say of its axis, in many words, and what they don't.
#include "formats/text/axis/axis_words.h"

#include <gtest/gtest.h>

#include <cmath>
#include <string>

#include "formats/text/tables/text_layout.h"

namespace vprism::axis_words_test {
namespace {

/// The interval that a table of `columns` columns below this line has; 0 where it says nothing.
double interval_below(const std::string& line, int columns, bool titled) {
  FileHead head;
  std::string text = line + "\n";
  if (titled) text += columns == 1 ? "Force (N)\n" : "Fx (N),Fy (N)\n";
  for (int n = 0; n < 30; ++n) {
    text += std::to_string(std::sin(0.3 * n));
    if (columns == 2) text += "," + std::to_string(std::cos(0.2 * n) + 3);
    text += "\n";
  }
  head.path = "x.txt";
  head.bytes = text;
  head.size = text.size();
  const TextLayout layout = find_text_layout(head, {});
  EXPECT_EQ(layout.columns.size(), static_cast<std::size_t>(columns)) << line;
  EXPECT_EQ(layout.data_line, titled ? 3 : 2) << line;
  return layout.interval_s;
}

TEST(AxisWords, SayRateAndIntervalInManyWays) {
  const std::pair<const char*, double> lines[] = {
      {"Sampling: 2500 Hz", 4e-4},
      {"# 1024 Hz", 1.0 / 1024},
      {"Rate 2.5 kS/s", 4e-4},
      {"2500 samples/sec", 4e-4},
      {"Scan rate: 2500 scans/s", 4e-4},
      {"Sample Interval(uS),400", 4e-4},
      {"HResolution,4E-4", 4e-4},
      {"XINC 4e-4", 4e-4},
      {"Increment,4e-04,s", 4e-4},
      {"Samples per second;2500", 4e-4},
      {"Abtastintervall = 0,4 ms", 4e-4},
      {"Abtastrate: 2,5 kHz", 4e-4},
      {"Zeitschritt: 0.4 ms", 4e-4},
      {"Fr\xC3\xA9quence d'\xC3\xA9"
       "chantillonnage : 2500 Hz",
       4e-4},
      {"Frecuencia de muestreo: 2500 Hz", 4e-4},
      {"Passo di campionamento: 0.4 ms", 4e-4},
      {"Period (ms): 0.4", 4e-4},
      {"Logging interval 00:00:01", 1},
      {"ADC rate: 2500.0 1/s", 4e-4},
      {"Acquisition frequency [Hz] 2500", 4e-4},
      {"dt=4.0E-4 [s]", 4e-4},
      {"time_step_ms: 0.4", 4e-4},
      {"Sample every: 0.4 ms", 4e-4},
      {"Recording speed: 2,500 Hz", 4e-4},
  };
  for (const auto& [line, interval] : lines)
    for (const int columns : {1, 2})
      for (const bool titled : {false, true})
        EXPECT_NEAR(interval_below(line, columns, titled), interval, 1e-9 * interval)
            << line << " over " << columns << (titled ? ", titled" : "");
}

TEST(AxisWords, LeaveOtherFrequenciesAndTimesAlone) {
  for (const char* line : {"Filter frequency: 100 Hz",
                           "Line frequency: 50 Hz",
                           "Recorder cut-off frequency: 200 Hz",
                           "Time per div: 5 ms",
                           "ADC resolution: 16",
                           "Recording period: 1 h",
                           "Averaging interval: 10 s",
                           "Calibration interval: 12 months",
                           "Trigger delay: 5 ms",
                           "Heart rate: 60",
                           "Sample flow rate: 5",
                           "Electrode spacing: 5 mm",
                           "Temperature step: 5",
                           "Scan speed: 5 mm/s",
                           "Signal frequency: 1 kHz",
                           "Horizontal scale: 1 ms/div",
                           "Delta pressure: 5",
                           "Duration: 10 s",
                           "Clock: 8 MHz",
                           "Contact frequency: 50 Hz",
                           "Intervention time: 5 min",
                           "QT interval: 400 ms",
                           "Battery: 3,7 V"})
    EXPECT_EQ(interval_below(line, 2, true), 0) << line;
}

TEST(AxisWords, TheNameOfASingleColumnMayStandAboveThem) {
  FileHead head;
  head.path = "x.txt";
  head.bytes = "Acceleration (g)\nRate 2 kS/s\n0.5\n0.25\n-1\n0.125\n0.5\n";
  head.size = head.bytes.size();
  const TextLayout layout = find_text_layout(head, {});
  EXPECT_EQ(layout.columns.at(0).name, "Acceleration");
  EXPECT_EQ(layout.columns.at(0).unit.text(), "g");
  EXPECT_NEAR(layout.interval_s, 5e-4, 1e-12);
}

TEST(AxisWords, ALonePeriodIsTakenWithACaution) {
  FileHead head;
  head.path = "x.txt";
  head.bytes = "Period (ms): 0.4\nA,B\n1,5\n1,6\n2,5\n1,7\n";
  head.size = head.bytes.size();
  const TextLayout layout = find_text_layout(head, {});
  EXPECT_NEAR(layout.interval_s, 4e-4, 1e-12);
  ASSERT_EQ(layout.cautions.size(), 1u);
  EXPECT_EQ(layout.cautions[0].code, "interval-assumed");
}

TEST(AxisWords, AUnitDecidesBetweenThem) {
  EXPECT_EQ(axis_word("Sampling", AxisUnit::frequency), AxisWord::rate);
  EXPECT_EQ(axis_word("Sampling", AxisUnit::time), AxisWord::interval);
  EXPECT_EQ(axis_word("Sampling", AxisUnit::none), AxisWord::none);
  EXPECT_EQ(axis_word("Record length", AxisUnit::none), AxisWord::count);
  EXPECT_EQ(axis_word("Recording time", AxisUnit::time), AxisWord::duration);
}

}  // namespace
}  // namespace vprism::axis_words_test
