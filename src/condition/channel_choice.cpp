// channel_choice.cpp: see channel_choice.h.
#include "condition/channel_choice.h"

#include <algorithm>

namespace vprism {

namespace {

class Chosen : public Stage {
 public:
  Chosen(std::vector<std::string> last, std::vector<std::string> hidden, std::vector<std::string> channels)
      : last_(std::move(last)), hidden_(std::move(hidden)), channels_(std::move(channels)) {}
  bool needs_axis() const override { return false; }

  void start(Recording& passing) override {
    const auto place = [](const std::vector<std::string>& names, const std::string& name) {
      return std::find(names.begin(), names.end(), name) - names.begin();
    };
    std::vector<std::size_t> order;
    for (std::size_t c = 0; c < passing.channels.size(); ++c)
      if (std::find(hidden_.begin(), hidden_.end(), passing.channels[c].name) == hidden_.end())
        order.push_back(c);
    // Others stand as they stood; those of `last` have places from 0 on.
    const auto rank = [&](std::size_t c) {
      const auto at = place(last_, passing.channels[c].name);
      return at == static_cast<std::ptrdiff_t>(last_.size()) ? -1 : at;
    };
    std::stable_sort(order.begin(), order.end(),
                     [&](std::size_t a, std::size_t b) { return rank(a) < rank(b); });
    Recording visible = passing;
    visible.channels.clear();
    for (const std::size_t c : order) visible.channels.push_back(passing.channels[c]);
    which_ = order;
    if (!channels_.empty()) {
      which_.clear();
      for (const std::size_t v : select_channels(visible, channels_)) which_.push_back(order[v]);
    }
    std::vector<Channel> kept;
    for (const std::size_t c : which_) kept.push_back(passing.channels[c]);
    passing.channels = std::move(kept);
  }

  void push(Block& block, const Sink& next) override {
    if (out_.capacity() < block.size() || out_.channels() != which_.size() ||
        out_.stamped() != block.stamped())
      out_ = Block(which_.size(), std::max(block.size(), block.capacity()), block.stamped(), false);
    out_.take_channels(block, which_);
    next(out_);
  }
  StageReport report() const override { return {}; }

 private:
  std::vector<std::string> last_, hidden_, channels_;
  std::vector<std::size_t> which_;
  Block out_;
};

}  // namespace

std::unique_ptr<Stage> make_choice_stage(std::vector<std::string> last, std::vector<std::string> hidden,
                                         std::vector<std::string> channels) {
  return std::make_unique<Chosen>(std::move(last), std::move(hidden), std::move(channels));
}

}  // namespace vprism
