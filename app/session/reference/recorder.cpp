#include "app/session/reference/recorder.h"

#include "core/base/error.h"

#include <algorithm>
#include <boost/lockfree/spsc_queue.hpp>
#include <cmath>
#include <utility>

namespace facet {

/// Four seconds of stereo at 48 kHz; the window fetches twenty times a second.
struct Recorder::Queue {
    boost::lockfree::spsc_queue<float, boost::lockfree::capacity<4 * 2 * 48000>> samples;
};

Recorder::Recorder(QObject* parent) : QObject(parent), queue_(std::make_unique<Queue>()) {
    connect(&timer_, &QTimer::timeout, this, &Recorder::collect);
    timer_.setInterval(50);
}

Recorder::~Recorder() { close(); }

void Recorder::open(const std::string& inputName) { open(openInput(inputName)); }

void Recorder::open(std::unique_ptr<AudioInput> input) {
    close();
    input_ = std::move(input);
    const auto take = [this](const float* stereo, int frames) {
        queue_->samples.push(stereo, 2 * static_cast<std::size_t>(frames));
    };
    try {
        input_->start(take);
    } catch (const Error& failure) {
        emit problem(QString::fromUtf8(failure.what()), QString::fromStdString(failure.detail()));
        input_ = std::make_unique<SimulatedInput>();
        input_->start(take);
    }
    timer_.start();
}

void Recorder::close() {
    timer_.stop();
    if (input_) input_->stop();
    input_.reset();
    recording_ = false;
    float sample = 0.0f;
    while (queue_->samples.pop(sample)) {}
}

void Recorder::start() {
    fetch(); // what came before the button is not wanted
    kept_ = {input_ ? input_->rateHz() : 48000, {{}, {}}};
    recording_ = true;
}

Recording Recorder::stop() {
    fetch();
    recording_ = false;
    return std::exchange(kept_, {});
}

double Recorder::seconds() const { return kept_.channels.empty() ? 0.0 : kept_.seconds(); }

float Recorder::takePeak() { return std::exchange(peak_, 0.0f); }

void Recorder::fetch() {
    float left = 0.0f;
    float right = 0.0f;
    // Frames are pushed whole, so a left sample is never without its right one for long.
    while (queue_->samples.read_available() >= 2) {
        queue_->samples.pop(left);
        queue_->samples.pop(right);
        peak_ = std::max({peak_, std::abs(left), std::abs(right)});
        if (!recording_ || seconds() >= longestSeconds) continue;
        kept_.channels[0].push_back(left);
        kept_.channels[1].push_back(right);
    }
}

void Recorder::collect() {
    fetch();
    if (input_ && !input_->alive()) {
        const QString name = QString::fromStdString(input_->name());
        const bool lost = recording_;
        input_->stop();
        input_ = std::make_unique<SimulatedInput>();
        timer_.stop();
        recording_ = false;
        emit problem(lost
                         ? tr("The sound input “%1” went away while recording; what came until then is kept.").arg(name)
                         : tr("The sound input “%1” went away; connect it again or choose another input.").arg(name),
                     {});
    }
    emit changed();
}

} // namespace facet

#include "moc_recorder.cpp"
