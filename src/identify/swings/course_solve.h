// course_solve.h: the linear fit of a course whose steps and frequencies are known.
#pragma once

#include <span>
#include <vector>

#include "identify/swings/course_fit.h"

namespace vprism {

/// Values and what they leave, by least squares (normal equations, block by block; rows beside steps, where
/// filters ring, left out); no deviations and no swings.
CourseFit solve_course(std::span<const double> x, double rate_hz, const std::vector<double>& steps_s,
                       const std::vector<double>& hz);

/// The deviations, which no fit on the way needs: scaled by the density of what is left around each
/// frequency, since what a fit leaves is seldom white; those of constant and drift from its correlation over
/// time.
void add_deviations(CourseFit& fit);

/// Amplitude density of what is left around a frequency over that of white noise of the same power.
double density_around(const CourseFit& fit, double hz);

}  // namespace vprism
