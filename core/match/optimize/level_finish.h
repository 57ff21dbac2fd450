// The last touch of a search: levels to the decibel.
#pragma once

#include "core/base/task.h"
#include "core/compare/loss.h"
#include "core/match/optimize/search_space.h"
#include "core/parameters/patch.h"

#include <Eigen/Core>
#include <functional>
#include <vector>

namespace facet {

/// What a loss finds between its reference and a render.
using Difference = std::function<Eigen::VectorXf(const Loss&, const Recording&)>;
/// The same of several patches, over everything that is compared.
using DifferencesOf = std::function<std::vector<Eigen::VectorXf>(const std::vector<Patch>&, const Difference&)>;

/// The patch with the parameters that shape levels (level envelopes, velocity, LFOs and links to levels) fitted so that
/// the level over time is closest, tails included, which weigh little in the loss and are heard at once: least squares
/// in which levels count as much as all else together. Returned with it, in that order: half and a quarter of the way
/// there. Empty where nothing may be fitted. Limits are obeyed. Throws what `differences` throws, and Cancelled.
std::vector<Patch> withFittedLevels(const Patch& patch, const SearchLimits& limits, const Identifiable& identifiable,
                                    const DifferencesOf& differences, const Task& task);

} // namespace facet
