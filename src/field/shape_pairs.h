// shape_pairs.h: shapes of two runs side by side: what moved, what changed, what is new or gone.
#pragma once

#include <optional>
#include <vector>

#include "field/field.h"

namespace vprism {

/// Shapes of a run, with the places they are told for.
struct ShapeSet {
  std::vector<Node> points;
  std::vector<FieldShape> shapes;
};

struct ShapePair {
  std::optional<std::size_t> a, b;    ///< One of them alone: gone, or new.
  double delta_hz = 0, delta_db = 0;  ///< B less A, of both; levels by the mean over points.
  double assurance = 0;
};

/// For each point of B the point of A at its place (within a quarter of the usual distance); A's size where
/// none is.
std::vector<std::size_t> same_places(const std::vector<Node>& a, const std::vector<Node>& b);

/// Shapes of both that are nearest in frequency, no further than `within_hz` or a fiftieth apart, and of
/// those the likest. Throws Error(analysis) when less than half of the points are in both, or the variables
/// differ.
std::vector<ShapePair> pair_shapes(const ShapeSet& a, const ShapeSet& b, double within_hz);

}  // namespace vprism
