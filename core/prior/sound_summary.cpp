#include "core/prior/sound_summary.h"

#include "core/base/error.h"
#include "core/prior/summary_parts.h"

#include <cmath>

namespace facet {

std::vector<float> soundSummary(const Recording& sound48k, const Performance& performance) {
    if (performance.notes.empty()) throw Error("A sound without notes has no summary.");
    const SoundFrames sound = soundFrames(sound48k, performance);
    std::vector<float> summary;
    addOnsets(sound, summary);
    addPartials(sound, summary);
    addMotion(sound, summary);
    addPitch(sound, summary);
    addSides(sound, summary);
    addRepeats(sound, summary);
    addDistribution(sound, summary);
    addNotes(sound, summary);
    for (float& value : summary)
        if (!std::isfinite(value)) value = 0.0f;
    return summary;
}

int summarySize() {
    static const int size = [] {
        Recording silence;
        silence.channels.assign(2, std::vector<float>(4800));
        Performance note;
        note.notes = {{0.01, 0.08, 60, 0.0, 100.0}};
        note.frames = 4800;
        return static_cast<int>(soundSummary(silence, note).size());
    }();
    return size;
}

} // namespace facet
