#include "core/engine/engine.h"

#include "core/engine/voices/synthesis.h"

namespace facet {

Engine::Engine(std::span<const Graph> candidates, double rateHz, std::uint64_t seed, bool sharedVoices)
    : impl_(std::make_unique<Synthesis>(candidates, rateHz, seed, sharedVoices)) {}
Engine::~Engine() = default;
Engine::Engine(Engine&&) noexcept = default;

int Engine::candidateCount() const { return static_cast<int>(impl_->candidateCount()); }
void Engine::noteOn(std::uint32_t number, double pitch, double velocity) { impl_->noteOn(number, pitch, velocity); }
void Engine::noteOff(std::uint32_t number) { impl_->noteOff(number); }
void Engine::bend(double semitones) { impl_->setBend(semitones); }
void Engine::wheel(double position) { impl_->setWheel(position); }
void Engine::pressure(double position) { impl_->setPressure(position); }
void Engine::setValues(const Graph& graph, int candidate) {
    impl_->setValues(graph, static_cast<std::size_t>(candidate));
}
void Engine::silence() { impl_->silence(); }
bool Engine::active() const { return impl_->active(); }
double Engine::reductionDb(std::size_t effect) const { return impl_->reductionDb(effect); }
int Engine::notesSounding() const { return impl_->notesSounding(); }
std::uint64_t Engine::notesStolen() const { return impl_->notesStolen(); }
void Engine::rest(int frames) { impl_->rest(frames); }
int Engine::mostFrames() const { return impl_->mostFrames(); }
std::span<const Engine::Block> Engine::process(int frames) { return impl_->process(frames); }

} // namespace facet
