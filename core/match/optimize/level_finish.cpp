#include "core/match/optimize/level_finish.h"

#include "core/dsp/least_squares.h"

#include <algorithm>

namespace facet {

namespace {

bool shapesLevels(const Patch& patch, const Address& address) {
    const ModuleKind kind = patch.find(address.module)->kind;
    return address.module.ends_with("/envelope:level") || kind == ModuleKind::lfo || kind == ModuleKind::link ||
           (kind == ModuleKind::layer && address.field == "velocity");
}

} // namespace

std::vector<Patch> withFittedLevels(const Patch& patch, const SearchLimits& limits, const Identifiable& identifiable,
                                    const DifferencesOf& differences, const Task& task) {
    SearchLimits others = limits;
    for (const Address& address : patch.addresses())
        if (!shapesLevels(patch, address)) others.locks.insert(address);
    const SearchSpace space(patch, others, identifiable);
    if (space.size() == 0) return {};
    const auto patchesAt = [&](const std::vector<Eigen::VectorXd>& points) {
        std::vector<Patch> patches;
        for (const auto& point : points) patches.push_back(space.patchAt(patch, point));
        return patches;
    };
    const auto levels = [](const Loss& loss, const Recording& render) { return loss.levelDifference(render); };
    const auto everything = [](const Loss& loss, const Recording& render) { return loss.residual(render); };
    const float weight =
        differences({patch}, levels).front().norm() / std::max(1e-6f, differences({patch}, everything).front().norm());
    const auto both = [&](const Loss& loss, const Recording& render) {
        const Eigen::VectorXf level = levels(loss, render), rest = weight * everything(loss, render);
        Eigen::VectorXf all(level.size() + rest.size());
        all << level, rest;
        return all;
    };
    const LeastSquaresProblem problem{space.lower(), space.upper(), [&](const std::vector<Eigen::VectorXd>& points) {
                                          return differences(patchesAt(points), both);
                                      }};
    LeastSquaresSettings settings;
    settings.iterations = 4;
    settings.differenceStep = 0.015;
    settings.tolerance = 0.01;
    settings.updates = 2;
    const Eigen::VectorXd from = space.positionOf(patch);
    const Eigen::VectorXd way = minimizeLeastSquares(problem, from, settings, task).point - from;
    return patchesAt({from + way, from + 0.5 * way, from + 0.25 * way});
}

} // namespace facet
