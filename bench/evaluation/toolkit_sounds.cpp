// Physical and frequency-modulation models of the Synthesis Toolkit (P. Cook, G. Scavone) as references for matching.
// toolkit_sounds MODEL OUT.wav START,END,KEY,VELOCITY … : one note after the other; the seconds of the file come last.
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <memory>
#include <string>
#include <vector>

#include <stk/BeeThree.h>
#include <stk/Bowed.h>
#include <stk/Clarinet.h>
#include <stk/FileWvOut.h>
#include <stk/FMVoices.h>
#include <stk/Flute.h>
#include <stk/HevyMetl.h>
#include <stk/PercFlut.h>
#include <stk/Rhodey.h>
#include <stk/Saxofony.h>
#include <stk/TubeBell.h>
#include <stk/Wurley.h>

namespace {

std::unique_ptr<stk::Instrmnt> modelOf(const std::string& name) {
    if (name == "organ") return std::make_unique<stk::BeeThree>();
    if (name == "bowed") return std::make_unique<stk::Bowed>(30.0);
    if (name == "clarinet") return std::make_unique<stk::Clarinet>(30.0);
    if (name == "flute") return std::make_unique<stk::Flute>(30.0);
    if (name == "metal") return std::make_unique<stk::HevyMetl>();
    if (name == "percussive") return std::make_unique<stk::PercFlut>();
    if (name == "electric") return std::make_unique<stk::Rhodey>();
    if (name == "reed") return std::make_unique<stk::Wurley>();
    if (name == "saxophone") return std::make_unique<stk::Saxofony>(30.0);
    if (name == "bell") return std::make_unique<stk::TubeBell>();
    return nullptr;
}

} // namespace

int main(int argc, char** argv) {
    if (argc < 5) return 2;
    stk::Stk::setSampleRate(44100.0);
    stk::Stk::setRawwavePath("/usr/share/stk/rawwaves/");
    const std::unique_ptr<stk::Instrmnt> model = modelOf(argv[1]);
    if (!model) return 2;
    std::srand(1);
    struct Note {
        double start, end, key, velocity;
    };
    std::vector<Note> notes;
    for (int i = 3; i < argc - 1; ++i) {
        Note note{};
        if (std::sscanf(argv[i], "%lf,%lf,%lf,%lf", &note.start, &note.end, &note.key, &note.velocity) != 4) return 2;
        notes.push_back(note);
    }
    const long frames = std::lround(std::atof(argv[argc - 1]) * 44100.0);
    std::vector<double> sound(static_cast<std::size_t>(frames));
    double loudest = 1e-9;
    for (long at = 0; at < frames; ++at) {
        for (const Note& note : notes) {
            if (at == std::lround(note.start * 44100.0))
                model->noteOn(440.0 * std::pow(2.0, (note.key - 69.0) / 12.0), note.velocity / 127.0);
            if (at == std::lround(note.end * 44100.0)) model->noteOff(0.5);
        }
        sound[static_cast<std::size_t>(at)] = model->tick();
        loudest = std::max(loudest, std::abs(sound[static_cast<std::size_t>(at)]));
    }
    stk::FileWvOut out(argv[2], 1, stk::FileWrite::FILE_WAV, stk::Stk::STK_SINT16);
    for (double value : sound) out.tick(0.5 * value / loudest);
    return 0;
}
