#include "app/session/results/module_readings.h"

#include "core/base/error.h"
#include "core/engine/render.h"
#include "core/parameters/relevance.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace facet {

namespace {

/// Seconds of the phrase that are looked at, and how far below the sound a difference is lost.
constexpr double probedSeconds = 8.0, lostBelow = 1e-4;

/// A value clearly apart from the present one.
double otherValue(const ParameterDescriptor& d, double value) {
    if (d.isDiscrete()) return value < d.high ? value + 1.0 : value - 1.0;
    const double place = d.toUnit(value);
    return d.fromUnit(place < 0.5 ? place + 0.2 : place - 0.2);
}

double differenceOf(const Recording& a, const Recording& b) {
    double difference = 0.0, power = 0.0;
    for (std::size_t c = 0; c < a.channels.size(); ++c)
        for (std::size_t i = 0; i < a.channels[c].size(); ++i) {
            const double x = static_cast<double>(a.channels[c][i]), y = static_cast<double>(b.channels[c][i]);
            difference += (x - y) * (x - y);
            power += x * x;
        }
    return power > 0.0 ? std::sqrt(difference / power) : difference;
}

/// Of a module's parameters, those whose change is lost in this phrase. Throws Error and Cancelled.
std::set<Address> unheardIn(const Patch& patch, const std::string& path, Performance played, const Task& task) {
    const Patch::Module& module = *patch.find(path);
    std::vector<Address> addresses;
    std::vector<Patch> patches{patch};
    for (const auto& d : parametersOf(module.kind)) {
        if (!matters(patch, module, d) || d.field == "on") continue;
        addresses.push_back({path, std::string(d.field)});
        patches.push_back(patch);
        patches.back().setNearest(addresses.back(), otherValue(d, patch.value(addresses.back())));
    }
    played.frames = std::min(played.frames, static_cast<int>(probedSeconds * played.rateHz));
    const auto sounds = renderAt48k(patches, played, task);
    std::set<Address> unheard;
    for (std::size_t i = 0; i < addresses.size(); ++i)
        if (differenceOf(sounds[0], sounds[i + 1]) < lostBelow) unheard.insert(addresses[i]);
    return unheard;
}

/// What cannot be rendered is reported where it is rendered first.
void ignore(const std::exception_ptr&) {}

} // namespace

ModuleReadings::ModuleReadings(DocumentStore& document, QObject* parent)
    : QObject(parent), document_(document), probing_(JobQueue::Priority::low) {
    for (auto outdated : {&DocumentStore::cueEdited, &DocumentStore::lookedElsewhere, &DocumentStore::replaced})
        connect(&document_, outdated, this, &ModuleReadings::forget);
}

void ModuleReadings::forget() {
    staging_.cancel();
    probing_.cancel();
    unheardOf_.clear();
    unheard_.reset();
    stages_.clear();
    stagesWanted_.clear();
}

void ModuleReadings::wantStage(const std::string& path) {
    if (!document_.excerpt() || stages_.contains(path) || !stagesWanted_.insert(path).second) return;
    const Patch& patch = document_.cue()->patch;
    // Those that wait are read with it: a queue keeps the latest job only.
    std::vector<std::string> paths;
    for (const std::string& each : stagesWanted_)
        if (const auto* module = patch.find(each); module && dependsOnLevel(patch, *module)) paths.push_back(each);
    staging_.request({[paths, patch, played = document_.performance()](const Task& task, const auto& publish) {
                          for (const std::string& each : paths) publish({each, readStage(patch, each, played, task)});
                      },
                      [this](const std::pair<std::string, StageReading>& read) {
                          stages_[read.first] = read.second;
                          stagesWanted_.erase(read.first);
                          emit stageRead(QString::fromStdString(read.first));
                      },
                      ignore});
}

const StageReading* ModuleReadings::stage(const std::string& path) const {
    const auto found = stages_.find(path);
    return found == stages_.end() ? nullptr : &found->second;
}

void ModuleReadings::wantUnheard(const std::string& path) {
    if (!document_.excerpt() || unheardOf_ == path || !document_.cue()->patch.find(path)) return;
    unheardOf_ = path;
    unheard_.reset();
    probing_.request([path, patch = document_.cue()->patch, played = document_.performance()](
                         const Task& task) { return unheardIn(patch, path, played, task); },
                     [this, path](const std::set<Address>& unheard) {
                         unheard_ = unheard;
                         emit unheardFound(QString::fromStdString(path));
                     },
                     ignore);
}

const std::set<Address>* ModuleReadings::unheard(const std::string& path) const {
    return path == unheardOf_ && unheard_ ? &*unheard_ : nullptr;
}

} // namespace facet

#include "moc_module_readings.cpp"
