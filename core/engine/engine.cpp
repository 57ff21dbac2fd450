#include "core/engine/engine.h"

#include "core/engine/voices/synthesis.h"

#include <algorithm>
#include <utility>

namespace facet {

Engine::Engine(std::span<const Graph> candidates, double rateHz, std::uint64_t seed, bool sharedVoices)
    : impl_(std::make_unique<Synthesis>(candidates, rateHz, seed, sharedVoices)) {}
Engine::~Engine() = default;
Engine::Engine(Engine&&) noexcept = default;

int Engine::candidateCount() const { return static_cast<int>(impl_->graphs.size()); }
void Engine::noteOn(std::uint32_t number, double pitch, double velocity) { impl_->noteOn(number, pitch, velocity); }
void Engine::noteOff(std::uint32_t number) { impl_->noteOff(number); }
void Engine::bend(double semitones) { impl_->bendSemitones = semitones; }
void Engine::wheel(double position) { impl_->wheel = static_cast<float>(position); }
void Engine::pressure(double position) { impl_->pressure = static_cast<float>(position); }
void Engine::setValues(const Graph& graph, int candidate) {
    impl_->setValues(graph, static_cast<std::size_t>(candidate));
}

void Engine::silence() {
    impl_->eachVoice([](Voice& voice) { voice.used = false; });
    for (auto& layer : impl_->layers) layer.sounding.clear();
    impl_->chains.silence();
    impl_->pending.clear();
    impl_->heldNotes.clear();
    impl_->hasLastPitch = false;
}

bool Engine::active() const {
    return !impl_->pending.empty() || impl_->chains.ringing() ||
           std::any_of(impl_->layers.begin(), impl_->layers.end(),
                       [](const Synthesis::Layer& layer) { return !layer.sounding.empty(); });
}

double Engine::reductionDb(std::size_t effect) const { return impl_->chains.reductionDb(effect); }

int Engine::notesSounding() const { return impl_->sounding().count; }
std::uint64_t Engine::notesGivenWay() const { return impl_->givenWay; }

void Engine::rest(int frames) { impl_->rest(frames); }

int Engine::mostFrames() const { return impl_->mostFrames; }

std::span<const Engine::Block> Engine::process(int frames) { return impl_->process(frames); }

} // namespace facet
