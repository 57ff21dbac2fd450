#include "core/engine/render.h"

#include "core/base/heavy_work.h"
#include "core/base/parallel.h"
#include "core/dsp/resample.h"
#include "core/engine/kernels/denormals.h"
#include "core/engine/engine.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace facet {

namespace {

struct Event {
    int frame;
    bool on;
    std::uint32_t note;
};

std::vector<Event> eventsOf(const Performance& performance, int rateHz) {
    std::vector<Event> events;
    const auto frameAt = [rateHz](double seconds) {
        return std::max(0, static_cast<int>(std::lround(seconds * rateHz)));
    };
    for (std::size_t i = 0; i < performance.notes.size(); ++i) {
        const int start = frameAt(performance.notes[i].start);
        events.push_back({start, true, static_cast<std::uint32_t>(i)});
        events.push_back(
            {std::max(start + 1, frameAt(performance.notes[i].end)), false, static_cast<std::uint32_t>(i)});
    }
    // At one instant ends come first: touching notes do not overlap.
    std::stable_sort(events.begin(), events.end(), [](const Event& a, const Event& b) {
        return a.frame != b.frame ? a.frame < b.frame : a.on < b.on;
    });
    return events;
}

int framesAt(int rateHz, const Performance& performance) {
    return static_cast<int>(std::ceil(static_cast<double>(performance.frames) * rateHz / performance.rateHz));
}

/// Follows the curves of a performance that move parameters, for each of a group of patches.
class MovedValues {
public:
    MovedValues(const std::vector<const Patch*>& patches, const Performance& performance) : tempo_(performance.tempo) {
        for (const Curve& curve : performance.curves) {
            if (!curve.movesParameter()) continue;
            const Address address = Address::parse(curve.target);
            // A parameter of the graph cannot move while a note sounds; one the patch lacks has nothing to move.
            if (patches.front()->has(address) && patches.front()->descriptor(address).smoothing != Smoothing::graph)
                moved_.push_back({address, &curve.points, notMoved});
        }
        if (moved_.empty()) return;
        for (const Patch* patch : patches) patches_.push_back(*patch);
    }
    bool any() const { return !moved_.empty(); }
    /// Brings the engine's values to a time. Costs nothing where every curve stands still.
    void apply(Engine& engine, double seconds) {
        bool changed = false;
        for (Moved& m : moved_) {
            const double place = std::clamp(valueAt(*m.points, seconds), 0.0, 1.0);
            if (place == m.place) continue;
            m.place = place;
            changed = true;
            for (Patch& patch : patches_) patch.setNearest(m.address, patch.descriptor(m.address).fromUnit(place));
        }
        for (std::size_t c = 0; changed && c < patches_.size(); ++c)
            engine.setValues(compile(patches_[c], tempo_), static_cast<int>(c));
    }

private:
    static constexpr double notMoved = -1.0;
    struct Moved {
        Address address;
        const std::vector<CurvePoint>* points;
        double place;
    };
    double tempo_;
    std::vector<Moved> moved_;
    std::vector<Patch> patches_;
};

/// Whether two patches differ in effects and output at most.
bool sameVoices(const Patch& a, const Patch& b) {
    const auto ofVoices = [](const Patch& patch) {
        std::vector<const Patch::Module*> modules;
        for (const auto& module : patch.modules())
            if (!isEffect(module.kind) && module.kind != ModuleKind::output) modules.push_back(&module);
        return modules;
    };
    const auto x = ofVoices(a), y = ofVoices(b);
    return std::equal(x.begin(), x.end(), y.begin(), y.end(),
                      [](const Patch::Module* m, const Patch::Module* n) { return *m == *n; });
}

/// Renders up to 16 patches of one graph into their recordings, at the recordings' rate.
void renderGroup(const std::vector<const Patch*>& patches, std::span<const Graph> graphs,
                 std::span<Recording* const> out, const Performance& performance, const Task& task,
                 const std::function<void(const Engine&)>& after = nullptr) {
    announceHeavyWork("render");
    const FlushDenormals flush;
    const int rateHz = out.front()->rateHz;
    const int frames = framesAt(rateHz, performance);
    const auto events = eventsOf(performance, rateHz);
    const bool shared = std::all_of(patches.begin(), patches.end(),
                                    [&](const Patch* patch) { return sameVoices(*patches.front(), *patch); });
    Engine engine(graphs, rateHz, performance.seed, shared);
    MovedValues movedValues(patches, performance);
    const Curve* wheel = performance.curveOf(wheelTarget);
    const Curve* pressure = performance.curveOf(pressureTarget);
    // What moves or is watched is looked at for every block.
    const bool moving = after || movedValues.any() || !performance.bends.empty() || wheel || pressure;
    const int most = moving ? Engine::blockFrames : engine.mostFrames();
    std::size_t next = 0;
    int polls = 0;
    for (int at = 0; at < frames;) {
        movedValues.apply(engine, static_cast<double>(at) / rateHz); // first: a note reads values as it starts
        for (; next < events.size() && events[next].frame <= at; ++next) {
            const Note& note = performance.notes[events[next].note];
            if (events[next].on)
                engine.noteOn(events[next].note, note.key + (note.cents + performance.tuningCents) / 100.0,
                              note.velocity);
            else
                engine.noteOff(events[next].note);
        }
        const int nextEvent = next < events.size() ? events[next].frame : frames;
        if (!engine.active()) {
            const int until = std::min(frames, std::max(nextEvent, at + 1));
            engine.rest(until - at);
            at = until;
            continue;
        }
        const double now = static_cast<double>(at) / rateHz;
        if (!performance.bends.empty()) engine.bend(performance.bendAt(now) / 100.0);
        if (wheel) engine.wheel(std::clamp(valueAt(wheel->points, now), 0.0, 1.0));
        if (pressure) engine.pressure(std::clamp(valueAt(pressure->points, now), 0.0, 1.0));
        const int count = std::min({most, nextEvent - at, frames - at});
        const auto blocks = engine.process(count);
        if (after) after(engine);
        for (std::size_t c = 0; c < blocks.size(); ++c) {
            const float* left = blocks[c].left.data();
            const float* right = blocks[c].right.data();
            float* to = out[c]->channels[0].data() + at;
            if (out[c]->channelCount() > 1) {
                std::copy_n(left, count, to);
                std::copy_n(right, count, out[c]->channels[1].data() + at);
            } else if (left == right) {
                std::copy_n(left, count, to);
            } else {
                for (int i = 0; i < count; ++i) to[i] = 0.5f * (left[i] + right[i]);
            }
        }
        at += count;
        if (++polls % 64 == 0) task.check();
    }
}

using Places = std::vector<std::size_t>;

/// Parts the places by a relation of equivalence, in order of first appearance.
template <typename Same> std::vector<Places> partedBy(const Places& all, const Same& same) {
    std::vector<Places> kinds;
    for (const std::size_t i : all) {
        const auto found =
            std::find_if(kinds.begin(), kinds.end(), [&](const Places& kind) { return same(kind.front(), i); });
        if (found != kinds.end())
            found->push_back(i);
        else
            kinds.push_back({i});
    }
    return kinds;
}

/// Which patches are rendered side by side: those of one graph, at most 16, cut evenly so that all threads have work.
/// Of those that differ in effects alone the voices are made once, so they keep to themselves.
std::vector<Places> groupsOf(std::span<const Patch> patches, const std::vector<Graph>& graphs, int threads) {
    Places all(patches.size());
    std::iota(all.begin(), all.end(), std::size_t{0});
    std::vector<Places> kinds;
    for (const Places& kind :
         partedBy(all, [&](std::size_t i, std::size_t k) { return sameGraph(graphs[i], graphs[k]); })) {
        Places others;
        for (Places& alike :
             partedBy(kind, [&](std::size_t i, std::size_t k) { return sameVoices(patches[i], patches[k]); })) {
            constexpr std::size_t worthIt = 3;
            if (alike.size() >= worthIt)
                kinds.push_back(std::move(alike));
            else
                others.insert(others.end(), alike.begin(), alike.end());
        }
        if (!others.empty()) kinds.push_back(std::move(others));
    }
    std::vector<Places> groups;
    for (const Places& kind : kinds) {
        const auto least = (kind.size() + Engine::maxCandidates - 1) / Engine::maxCandidates;
        const auto share = static_cast<std::size_t>(std::max(1, threads));
        const auto pieces = std::min(kind.size(), kinds.size() > 1 ? least : (least + share - 1) / share * share);
        for (std::size_t p = 0; p < pieces; ++p)
            groups.emplace_back(kind.begin() + static_cast<std::ptrdiff_t>(kind.size() * p / pieces),
                                kind.begin() + static_cast<std::ptrdiff_t>(kind.size() * (p + 1) / pieces));
    }
    return groups;
}

} // namespace

void renderEach(std::span<const Patch> patches, const Performance& performance, int rateHz,
                const std::function<void(std::size_t, Recording&&)>& take, const Task& task, int threads) {
    std::vector<Graph> graphs;
    for (const Patch& patch : patches) graphs.push_back(compile(patch, performance.tempo));

    const auto groups = groupsOf(patches, graphs, threads);
    parallelFor(static_cast<int>(groups.size()), threads, [&](int g) {
        const auto& group = groups[static_cast<std::size_t>(g)];
        Recording silence{rateHz, {}};
        silence.channels.assign(static_cast<std::size_t>(performance.channelCount),
                                std::vector<float>(static_cast<std::size_t>(framesAt(rateHz, performance))));
        std::vector<Recording> results(group.size(), silence);
        std::vector<Graph> groupGraphs;
        std::vector<const Patch*> groupPatches;
        std::vector<Recording*> out;
        for (std::size_t i = 0; i < group.size(); ++i) {
            groupGraphs.push_back(graphs[group[i]]);
            groupPatches.push_back(&patches[group[i]]);
            out.push_back(&results[i]);
        }
        renderGroup(groupPatches, groupGraphs, out, performance, task);
        for (std::size_t i = 0; i < group.size(); ++i) take(group[i], std::move(results[i]));
    });
}

std::vector<Recording> renderAt48k(std::span<const Patch> patches, const Performance& performance, const Task& task,
                                   int threads) {
    std::vector<Recording> results(patches.size());
    renderEach(
        patches, performance, analysisRateHz,
        [&](std::size_t i, Recording&& render) { results[i] = std::move(render); }, task, threads);
    return results;
}

Recording renderWatched(const Patch& patch, const Performance& performance,
                        const std::function<void(const Engine&)>& after, const Task& task) {
    const Graph graph = compile(patch, performance.tempo);
    Recording result;
    result.channels.assign(static_cast<std::size_t>(performance.channelCount),
                           std::vector<float>(static_cast<std::size_t>(framesAt(analysisRateHz, performance))));
    Recording* const out = &result;
    renderGroup({&patch}, {&graph, 1}, {&out, 1}, performance, task, after);
    return result;
}

Recording render(const Patch& patch, const Performance& performance, const Task& task) {
    Recording at48k = std::move(renderAt48k({&patch, 1}, performance, task).front());
    if (performance.rateHz == analysisRateHz) return at48k;
    Recording result{performance.rateHz, {}};
    for (const auto& channel : at48k.channels)
        result.channels.push_back(resample(channel, analysisRateHz, performance.rateHz, performance.frames));
    return result;
}

Recording renderToSilence(const Patch& patch, const Performance& performance, double mostSeconds, const Task& task) {
    Performance longer = performance;
    longer.frames += static_cast<int>(std::ceil(mostSeconds * performance.rateHz));
    Recording result = render(patch, longer, task);
    // Where the engine is at rest it leaves nothing; what a conversion of the rate spreads is far below hearing.
    constexpr float nothing = 1e-7f;
    std::size_t end = static_cast<std::size_t>(performance.frames);
    for (const auto& channel : result.channels)
        for (std::size_t i = channel.size(); i > end; --i)
            if (std::abs(channel[i - 1]) > nothing) end = i;
    for (auto& channel : result.channels) channel.resize(end);
    return result;
}

} // namespace facet
