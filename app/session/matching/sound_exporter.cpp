#include "app/session/matching/sound_exporter.h"

#include "core/audio/audio_file.h"
#include "core/base/files.h"
#include "core/base/parallel.h"
#include "core/recipe/cycles.h"
#include "core/recipe/instrument_files.h"

#include <algorithm>
#include <utility>

namespace facet {

namespace {

/// How many notes or files were written, and how many of them go on in a loop.
std::pair<std::size_t, std::size_t> writeTo(const std::filesystem::path& path, const SoundExporter::Wanted& wanted,
                                            const Task& task) {
    using Kind = SoundExporter::Kind;
    if (wanted.kind == Kind::wavetable) {
        const Recording cycles = cyclesOf(wanted.patch);
        writeAudio(path, cycles, SampleFormat::wavFloat);
        return {cycles.channels.front().size() / tableFrameSamples, 0};
    }
    if (wanted.kind == Kind::phrase) {
        const std::vector<PlayedPart> parts = partsOfPhrase(wanted.patch, wanted.performance, wanted.parts);
        writePhrase(path, parts, SampleFormat::wav24, task);
        return {parts.size(), 0};
    }
    if (wanted.kind == Kind::bundle) return {writeBundle(path, wanted.bundle, task), 0};
    const std::vector<SampledNote> notes = sampledNotes(wanted.patch, wanted.range, hardwareThreads(), task);
    task.check();
    const std::string name = wanted.name.toStdString();
    if (wanted.kind == Kind::soundFont)
        writeWholeFile(path, soundFontOf(name, notes));
    else
        writeSfz(path, name, notes, wanted.kind == Kind::sfzWav ? SampleFormat::wav24 : SampleFormat::flac24);
    const auto looped =
        std::count_if(notes.begin(), notes.end(), [](const SampledNote& each) { return each.loop.has_value(); });
    return {notes.size(), static_cast<std::size_t>(looped)};
}

} // namespace

void SoundExporter::write(const Wanted& wanted, const QString& path) {
    running_ = true;
    progress_ = 0.0;
    emit progressed();
    writing_.request(
        {[wanted, to = std::filesystem::path(path.toStdString())](const Task& task, const auto& publish) {
             const Task told{task.stop, [&](double done, std::string_view) { publish(News{0.9 * done}); }};
             const auto [files, looped] = writeTo(to, wanted, told);
             publish(News{1.0, files, looped});
         },
         [this, path, kind = wanted.kind](const News& news) {
             progress_ = news.done;
             emit progressed();
             if (news.files == 0) return;
             const auto count = static_cast<int>(news.files);
             messages_.say(
                 kind == Kind::phrase   ? tr("%1 files of the phrase are in %2.").arg(count).arg(path)
                 : kind == Kind::bundle ? tr("%1 files are in %2.").arg(count).arg(path)
                 : kind == Kind::wavetable
                     ? tr("%1 cycles are in %2.").arg(count).arg(path)
                     : tr("%1 recorded notes, %2 of them looped, are in %3.").arg(count).arg(news.looped).arg(path));
             end(true);
         },
         [this](const std::exception_ptr& failure) {
             messages_.report(failure);
             end(false);
         }});
}

void SoundExporter::cancel() {
    if (!running_) return;
    writing_.cancel();
    end(false);
}

void SoundExporter::end(bool written) {
    running_ = false;
    emit finished(written);
}

} // namespace facet

#include "moc_sound_exporter.cpp"
