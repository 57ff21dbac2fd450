// What effects made of the voices' filters have in common.
#pragma once

#include "core/engine/effects/effect.h"
#include "core/engine/kernels/filter_kernels.h"

#include <vector>

namespace facet {

/// Filters of the layers' kinds, for all notes together: the voices' own kernel, two lanes a candidate. A derived
/// effect sets `targets_` in setValues(), or block by block in aim(). Contract of memory and threads: see Effect.
class FilterEffect : public Effect {
public:
    FilterEffect(const kernels::FilterStructure& structure, const EffectSetting& setting)
        : rateHz_(setting.rateHz), states_(2 * setting.candidates), targets_(2 * setting.candidates) {
        pair_.first = structure;
        jobs_.resize(states_.size());
        pointers_.resize(states_.size());
        for (auto& state : states_) state.prepare(structure, setting.rateHz);
    }
    void process(std::span<StereoRow> rows, int frames) override {
        aim(frames);
        for (std::size_t i = 0; i < states_.size(); ++i) {
            kernels::FilterJob job{};
            job.first = &states_[i];
            job.row = i % 2 == 0 ? rows[i / 2].left.data() : rows[i / 2].right.data();
            job.firstTo = targets_[i];
            job.firstCutoffs = &targets_[i].cutoffLog2;
            jobs_[i] = job;
            pointers_[i] = &jobs_[i];
        }
        kernels::runFilters(pointers_, pair_, static_cast<float>(rateHz_), frames);
    }
    void clear(std::size_t c) override {
        states_[2 * c].clear();
        states_[2 * c + 1].clear();
    }
    int memoryFrames(std::size_t) const override { return static_cast<int>(0.2 * rateHz_); }

protected:
    /// Brings the targets to the end of a block of so many frames.
    virtual void aim(int /*frames*/) {}

    const double rateHz_;
    std::vector<kernels::FilterState> states_;    ///< [candidate][side]
    std::vector<kernels::FilterTargets> targets_; ///< likewise

private:
    kernels::FilterPair pair_;
    std::vector<kernels::FilterJob> jobs_;
    std::vector<const kernels::FilterJob*> pointers_;
};

} // namespace facet
