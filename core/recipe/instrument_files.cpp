#include "core/recipe/instrument_files.h"

#include "core/audio/audio_file.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/performance/performance.h"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <fmt/format.h>
#include <system_error>

namespace facet {

namespace {

namespace fs = std::filesystem;

/// Little-endian pieces of a RIFF file.
class Riff {
public:
    std::string bytes;
    void u8(int value) { bytes += static_cast<char>(value); }
    void u16(std::uint32_t value) {
        u8(static_cast<int>(value & 255u));
        u8(static_cast<int>(value >> 8 & 255u));
    }
    void i16(int value) { u16(static_cast<std::uint32_t>(value) & 0xFFFFu); }
    void u32(std::uint32_t value) {
        u16(value & 0xFFFFu);
        u16(value >> 16);
    }
    void text(const std::string& value, std::size_t length) {
        for (std::size_t i = 0; i < length; ++i) u8(i + 1 < length && i < value.size() ? value[i] : 0);
    }
    void chunk(const char* id, const std::string& inside) {
        bytes += id;
        u32(static_cast<std::uint32_t>(inside.size()));
        bytes += inside;
        if (inside.size() % 2 != 0) u8(0);
    }
    void list(const char* kind, const std::string& inside) { chunk("LIST", kind + inside); }
};

std::string zeroEnded(std::string text) {
    text += '\0';
    if (text.size() % 2 != 0) text += '\0';
    return text;
}

/// Generators of the SoundFont technical specification 2.01, section 8.1.2.
enum Generator : std::uint16_t {
    pan = 17,
    releaseVolEnv = 38,
    instrument = 41,
    keyRange = 43,
    velRange = 44,
    sampleId = 53,
    sampleModes = 54,
    overridingRootKey = 58
};

/// Seconds in which a loop gives way to the recorded release.
constexpr double fadesInto = 0.02;

Recording fadedIn(Recording sound) {
    const int frames = std::min(sound.frameCount(), static_cast<int>(fadesInto * sound.rateHz));
    for (auto& channel : sound.channels)
        for (int i = 0; i < frames; ++i)
            channel[static_cast<std::size_t>(i)] *= static_cast<float>(i + 1) / static_cast<float>(frames + 1);
    return sound;
}

/// Seconds as the logarithmic unit of envelopes.
int timecents(double seconds) { return static_cast<int>(std::lround(1200.0 * std::log2(std::max(seconds, 0.001)))); }

} // namespace

void writeSfz(const fs::path& folder, const std::string& name, const std::vector<SampledNote>& notes,
              SampleFormat format) {
    const bool flac = format == SampleFormat::flac16 || format == SampleFormat::flac24;
    writeWholeFolder(folder, [&](const fs::path& partial) {
        fs::create_directories(partial / "samples");
        std::string text = fmt::format("// {}: {} recorded notes.\n<control>\ndefault_path=samples/\n<global>\n"
                                       "amp_veltrack=0\n",
                                       name, notes.size());
        for (const SampledNote& note : notes) {
            const std::string file = fmt::format("key-{:03}-velocity-{:03}", note.key, note.velocity);
            const std::string keys = fmt::format("lokey={} hikey={} pitch_keycenter={} lovel={} hivel={}", note.lowKey,
                                                 note.highKey, note.key, note.lowVelocity, note.highVelocity);
            const std::string end = flac ? "flac" : "wav";
            const auto region = [&](const std::string& sample, const Recording& sound) {
                writeAudio(partial / "samples" / (sample + "." + end), sound, format);
                return fmt::format("<region> sample={}.{} {}", sample, end, keys);
            };
            if (note.loop) {
                const double letGo = static_cast<double>(note.loop->end) / note.sound.rateHz;
                text += region(file, excerpt(note.sound, 0.0, letGo)) +
                        fmt::format(" loop_mode=loop_continuous loop_start={} loop_end={} ampeg_release={}\n",
                                    note.loop->begin, note.loop->end - 1, fadesInto);
                text += region(file + "-release", fadedIn(excerpt(note.sound, letGo, note.sound.seconds()))) +
                        " trigger=release loop_mode=one_shot\n";
            } else {
                text += region(file, note.sound) +
                        fmt::format(" loop_mode=no_loop ampeg_release={:.3f}\n", note.releaseSeconds);
            }
        }
        std::string file = name;
        std::replace(file.begin(), file.end(), '/', '-'); // a name is no folder
        writeWholeFile(partial / (file + ".sfz"), text);
    });
}

std::string soundFontOf(const std::string& name, const std::vector<SampledNote>& notes) {
    constexpr int silence = 46; // samples that follow each, as the specification asks for
    Riff samples, headers, zones, generators, modulators;
    std::uint32_t frames = 0, generatorCount = 0, modulatorCount = 0;
    int number = 0;
    for (const SampledNote& note : notes) {
        const int channels = note.sound.channelCount();
        for (int channel = 0; channel < channels; ++channel) {
            const std::uint32_t begin = frames;
            for (const float sample : note.sound.channels[static_cast<std::size_t>(channel)])
                samples.i16(static_cast<int>(std::lround(std::clamp(sample, -1.0f, 1.0f) * 32767.0f)));
            for (int i = 0; i < silence; ++i) samples.i16(0);
            const auto length = static_cast<std::uint32_t>(note.sound.frameCount());
            frames += length + silence;
            headers.text(fmt::format("{} {}{}", nameOfKey(note.key), note.velocity,
                                     channels == 1  ? ""
                                     : channel == 0 ? " L"
                                                    : " R"),
                         20);
            headers.u32(begin);
            headers.u32(begin + length);
            headers.u32(begin + static_cast<std::uint32_t>(note.loop ? note.loop->begin : 8));
            headers.u32(begin + static_cast<std::uint32_t>(note.loop ? note.loop->end : note.sound.frameCount() - 8));
            headers.u32(static_cast<std::uint32_t>(note.sound.rateHz));
            headers.u8(note.key);
            headers.u8(0);
            headers.u16(static_cast<std::uint32_t>(channels == 1 ? 0 : channel == 0 ? number + 1 : number - 1));
            headers.u16(channels == 1 ? 1 : channel == 0 ? 4 : 2); // mono, left, right
            zones.u16(generatorCount);
            zones.u16(modulatorCount);
            const auto generator = [&](Generator which, int amount) {
                generators.u16(which);
                generators.i16(amount);
                ++generatorCount;
            };
            generator(keyRange, note.lowKey | note.highKey << 8);
            generator(velRange, note.lowVelocity | note.highVelocity << 8);
            generator(pan, channels == 1 ? 0 : channel == 0 ? -500 : 500);
            generator(releaseVolEnv, timecents(note.releaseSeconds * 100.0 / 60.0)); // for 100 dB
            generator(sampleModes, note.loop ? 1 : 0); // loops on while the envelope falls
            generator(overridingRootKey, note.key);
            generator(sampleId, number);
            // Takes the default out: velocity chooses a recording, which is as loud as it is.
            modulators.u16(0x0502);
            modulators.u16(48);
            modulators.i16(0);
            modulators.u16(0);
            modulators.u16(0);
            ++modulatorCount;
            ++number;
        }
    }
    const std::uint32_t zoneCount = static_cast<std::uint32_t>(number);
    zones.u16(generatorCount);
    zones.u16(modulatorCount);
    for (int i = 0; i < 2; ++i) generators.u16(0);
    for (int i = 0; i < 5; ++i) modulators.u16(0);
    headers.text("EOS", 20);
    for (int i = 0; i < 26; ++i) headers.u8(0);

    Riff information;
    Riff version;
    version.u16(2);
    version.u16(1);
    information.chunk("ifil", version.bytes);
    information.chunk("isng", zeroEnded("Facet"));
    information.chunk("INAM", zeroEnded(name.substr(0, 250)));
    information.chunk("ISFT", zeroEnded("Facet"));

    Riff presets;
    presets.text(name, 20);
    for (const std::uint32_t each : {0u, 0u, 0u}) presets.u16(each); // program, bank, first zone
    for (int i = 0; i < 3; ++i) presets.u32(0);
    presets.text("EOP", 20);
    for (const std::uint32_t each : {0u, 0u, 1u}) presets.u16(each);
    for (int i = 0; i < 3; ++i) presets.u32(0);
    Riff presetZones;
    for (const std::uint32_t each : {0u, 0u, 1u, 0u}) presetZones.u16(each);
    Riff presetGenerators;
    for (const std::uint32_t each : {static_cast<std::uint32_t>(instrument), 0u, 0u, 0u}) presetGenerators.u16(each);
    Riff noModulators;
    for (int i = 0; i < 5; ++i) noModulators.u16(0);
    Riff instruments;
    instruments.text(name, 20);
    instruments.u16(0);
    instruments.text("EOI", 20);
    instruments.u16(zoneCount);

    Riff articulation;
    articulation.chunk("phdr", presets.bytes);
    articulation.chunk("pbag", presetZones.bytes);
    articulation.chunk("pmod", noModulators.bytes);
    articulation.chunk("pgen", presetGenerators.bytes);
    articulation.chunk("inst", instruments.bytes);
    articulation.chunk("ibag", zones.bytes);
    articulation.chunk("imod", modulators.bytes);
    articulation.chunk("igen", generators.bytes);
    articulation.chunk("shdr", headers.bytes);
    Riff sound;
    sound.chunk("smpl", samples.bytes);
    Riff body;
    body.bytes = "sfbk";
    body.list("INFO", information.bytes);
    body.list("sdta", sound.bytes);
    body.list("pdta", articulation.bytes);
    Riff file;
    file.chunk("RIFF", body.bytes);
    return file.bytes;
}

} // namespace facet
