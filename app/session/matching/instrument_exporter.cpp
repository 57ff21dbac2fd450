#include "app/session/matching/instrument_exporter.h"

#include "core/base/files.h"
#include "core/base/parallel.h"

#include <algorithm>

namespace facet {

void InstrumentExporter::write(const Patch& patch, const QString& name, const SampledRange& range, Kind kind,
                               const QString& path) {
    running_ = true;
    progress_ = 0.0;
    emit progressed();
    const std::filesystem::path to = path.toStdString();
    writing_.request(
        {[patch, range, kind, to, called = name.toStdString()](const Task& task, const auto& publish) {
             const Task told{task.stop, [&](double done, std::string_view) { publish(News{0.9 * done}); }};
             const std::vector<SampledNote> notes = sampledNotes(patch, range, hardwareThreads(), told);
             task.check();
             if (kind == Kind::soundFont)
                 writeWholeFile(to, soundFontOf(called, notes));
             else
                 writeSfz(to, called, notes, kind == Kind::sfzWav ? SampleFormat::wav24 : SampleFormat::flac24);
             const auto looped = std::count_if(notes.begin(), notes.end(),
                                               [](const SampledNote& each) { return each.loop.has_value(); });
             publish(News{1.0, notes.size(), static_cast<std::size_t>(looped)});
         },
         [this, path](const News& news) {
             progress_ = news.done;
             emit progressed();
             if (news.notes == 0) return;
             messages_.say(
                 tr("%1 recorded notes, %2 of them looped, are in %3.").arg(news.notes).arg(news.looped).arg(path));
             end(true);
         },
         [this](const std::exception_ptr& failure) {
             messages_.report(failure);
             end(false);
         }});
}

void InstrumentExporter::cancel() {
    if (!running_) return;
    writing_.cancel();
    end(false);
}

void InstrumentExporter::end(bool written) {
    running_ = false;
    emit finished(written);
}

} // namespace facet

#include "moc_instrument_exporter.cpp"
