// Summaries of references of known making, for train.py, which tells how well elements are named by them.
//   summaries FOLDER FILE
// FOLDER as bench/construction/references.py leaves it. Writes summarySize() half-precision numbers for each reference
// to FILE, in the order of the names that it prints.
#include "bench/construction/known_sound.h"
#include "core/prior/sound_summary.h"

#include <algorithm>
#include <cstdio>
#include <vector>

using namespace facet;

int main(int argc, char** argv) {
    if (argc != 3) {
        std::fputs("summaries FOLDER FILE\n", stderr);
        return 2;
    }
    std::vector<std::string> names;
    for (const auto& entry : std::filesystem::directory_iterator(argv[1]))
        if (entry.path().extension() == ".flac") names.push_back(entry.path().stem().string());
    std::sort(names.begin(), names.end());
    std::FILE* file = std::fopen(argv[2], "wb");
    if (!file) return 1;
    for (const std::string& name : names) {
        const KnownSound known = readKnownSound(argv[1], name);
        for (const float value : soundSummary(atRate(known.recording, analysisRateHz), known.played)) {
            const auto half = static_cast<_Float16>(std::clamp(value, -1000.0f, 1000.0f));
            std::fwrite(&half, sizeof half, 1, file);
        }
        std::puts(name.c_str());
    }
    std::fclose(file);
    return 0;
}
