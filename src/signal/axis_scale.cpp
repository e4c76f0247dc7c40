// axis_scale.cpp: see axis_scale.h. c is exact by the definition of the metre.
#include "signal/axis_scale.h"

#include "base/error.h"
#include "base/text.h"
#include "base/units/quantity.h"

namespace vprism {

namespace {

constexpr double speed_of_light = 299792458.0;

class ScaledAxis : public SampleSource {
 public:
  ScaledAxis(std::unique_ptr<SampleSource> source, AxisScale scale)
      : source_(std::move(source)), scale_(std::move(scale)) {
    take_over();
  }
  const Recording& recording() const override { return recording_; }
  void rewind() override { source_->rewind(); }
  std::int64_t seek(std::int64_t sample) override { return source_->seek(sample); }
  bool carries_stamps() const override { return source_->carries_stamps(); }
  void resolve() override {
    source_->resolve();
    take_over();
  }
  std::size_t read(Block& block) override {
    const std::size_t count = source_->read(block);
    if (block.stamped())
      for (double& t : block.stamp_room().subspan(0, count)) t *= scale_.factor;
    if (count == 0) take_over();  // The end may have told the source its length and axis.
    return count;
  }

 private:
  void take_over() {
    recording_ = source_->recording();
    Axis& axis = recording_.axis;
    axis.start *= scale_.factor;
    axis.interval *= scale_.factor;
    axis.unit = scale_.unit;
    axis.domain = scale_.unit.converts_to(Unit::parse("s"))    ? Axis::Domain::time
                  : scale_.unit.converts_to(Unit::parse("Hz")) ? Axis::Domain::frequency
                                                               : Axis::Domain::other;
    if (!axis.source.empty()) axis.source += ", " + scale_.text;
    // What was assumed of the axis is now said, and what was told in its old unit is told anew.
    std::erase_if(recording_.cautions, [](const Caution& c) {
      return c.code == "axis-unit-assumed" || c.code == "looks-like-spectrum" || c.code == "axis-uneven";
    });
    if (axis.domain == Axis::Domain::time && axis.stamped)
      recording_.cautions.push_back({"axis-uneven", Severity::warning, "",
                                     "the steps of the axis are uneven: they stray " +
                                         format_number(axis.jitter, 3) +
                                         " of an interval (RMS) from an even grid",
                                     "where an even grid is needed one is made"});
  }

  std::unique_ptr<SampleSource> source_;
  AxisScale scale_;
  Recording recording_;
};

}  // namespace

AxisScale parse_axis_scale(std::string_view text) {
  const Quantity q = parse_any_quantity(text);
  if (!(q.value > 0))
    throw Error(Status::usage, "\"" + clean_text(text) + "\": the factor must be above zero");
  AxisScale scale;
  scale.factor = q.value;
  scale.unit = q.unit;
  scale.text = "--axis-scale " + std::string(trimmed(text));
  for (const char* base : {"s", "Hz"})
    if (!q.unit.dimensionless() && q.unit.converts_to(Unit::parse(base))) {
      scale.factor = q.unit.convert(q.value, Unit::parse(base));
      scale.unit = Unit::parse(base);
    }
  return scale;
}

AxisScale parse_delay_line(std::string_view unit) {
  const Unit length = Unit::parse(trimmed(unit));
  if (!length.converts_to(Unit::parse("m")))
    throw Error(Status::usage, "\"" + clean_text(unit) +
                                   "\" is no length; write the unit of the stage position, such as um");
  return {2 * length.convert(1, Unit::parse("m")) / speed_of_light, Unit::parse("s"),
          "--delay-line " + std::string(trimmed(unit))};
}

std::unique_ptr<SampleSource> make_scaled_axis(std::unique_ptr<SampleSource> source, const AxisScale& scale) {
  return std::make_unique<ScaledAxis>(std::move(source), scale);
}

}  // namespace vprism
