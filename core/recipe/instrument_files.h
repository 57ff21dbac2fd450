// Recorded notes as files that samplers play.
#pragma once

#include "core/audio/audio_stream.h"
#include "core/recipe/sampled_notes.h"

#include <filesystem>
#include <string>
#include <vector>

namespace facet {

/// "FOLDER/NAME.sfz" with a folder of samples beside it: the published opcodes sample, lokey, hikey, pitch_keycenter,
/// lovel, hivel, loop_mode, loop_start, loop_end (inclusive), amp_veltrack, ampeg_release and trigger. What loops has a
/// second sample that sounds when the key is let go. Velocities choose among recordings, and change nothing else. All
/// or nothing: written beside and renamed; a folder that is there already is not touched. Throws Error.
void writeSfz(const std::filesystem::path& folder, const std::string& name, const std::vector<SampledNote>& notes,
              SampleFormat format = SampleFormat::flac24);

/// The bytes of a SoundFont 2.01 bank with one preset (bank 0, program 0): 16 bits, left and right as linked samples;
/// keys that are let go die away by an envelope as fast as the recording does.
/// Velocities choose among recordings, and change nothing else. `name`: 19 bytes of it.
std::string soundFontOf(const std::string& name, const std::vector<SampledNote>& notes);

} // namespace facet
