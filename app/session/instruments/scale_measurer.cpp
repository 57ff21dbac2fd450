#include "app/session/instruments/scale_measurer.h"

#include "core/audio/audio_file.h"
#include "core/base/parallel.h"
#include "core/measuring/simulated_take.h"

#include <filesystem>
#include <utility>

namespace facet {

void ScaleMeasurer::measure(const Wanted& wanted, std::vector<NamedRecording> recordings) {
    start(wanted, [recordings = std::move(recordings)](const Task&) { return recordings; });
}

void ScaleMeasurer::measureFiles(const Wanted& wanted, const QStringList& paths) {
    start(wanted, [paths](const Task& task) {
        std::vector<NamedRecording> recordings;
        for (const QString& path : paths) {
            task.check();
            const std::filesystem::path file = path.toStdString();
            recordings.push_back({file.filename().string(), readAudio(file)});
        }
        return recordings;
    });
}

void ScaleMeasurer::start(const Wanted& wanted, Sounds sounds) {
    forget();
    running_ = true;
    emit changed();
    measuring_.request({[wanted, sounds = std::move(sounds)](const Task& task, const auto& publish) {
                            const InstrumentControl& control = wanted.instrument.controls.at(wanted.control);
                            const MeasuringSetup setup = measuringSetup(wanted.instrument, control);
                            requirePositions(control, wanted.positions);
                            const std::vector<SingleNote> notes = notesOf(sounds(task), wanted.positions.size());
                            News news;
                            news.measured = measurePositions(
                                setup, control, wanted.positions, notes, wanted.key, hardwareThreads(), task,
                                [&](const std::vector<MeasuredPosition>& soFar) {
                                    news.measured = soFar;
                                    news.done = static_cast<double>(soFar.size()) / static_cast<double>(notes.size());
                                    publish(news);
                                });
                            news.done = 1.0;
                            news.scale = scaleThrough(news.measured, control,
                                                      wanted.instrument.patch.shownDescriptor(control.address));
                            publish(news);
                        },
                        [this](const News& news) {
                            measured_ = news.measured;
                            progress_ = news.done;
                            scale_ = news.scale;
                            emit changed();
                        },
                        [this](const std::exception_ptr& failure) { end(failure); }, [this] { end({}); }});
}

void ScaleMeasurer::play(const Wanted& wanted) {
    forget();
    running_ = true;
    emit changed();
    playing_.request(
        [wanted](const Task& task) {
            const InstrumentControl& control = wanted.instrument.controls.at(wanted.control);
            requirePositions(control, wanted.positions);
            return simulatedTake(measuringSetup(wanted.instrument, control), control, wanted.positions, wanted.key,
                                 task);
        },
        [this](const Recording& take) {
            end({});
            emit played(take);
        },
        [this](const std::exception_ptr& failure) { end(failure); });
}

void ScaleMeasurer::stop() {
    measuring_.cancel();
    playing_.cancel();
    end({});
}

void ScaleMeasurer::forget() {
    measuring_.cancel();
    playing_.cancel();
    measured_.clear();
    scale_.reset();
    problem_.clear();
    progress_ = 0.0;
    running_ = false;
    emit changed();
}

void ScaleMeasurer::end(const std::exception_ptr& failure) {
    running_ = false;
    try {
        if (failure) std::rethrow_exception(failure);
    } catch (const std::exception& problem) {
        problem_ = QString::fromUtf8(problem.what());
    }
    emit changed();
}

} // namespace facet

#include "moc_scale_measurer.cpp"
