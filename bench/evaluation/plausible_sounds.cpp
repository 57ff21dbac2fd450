// Patches as somebody might have made them, not of the bank, each as a file: for bench/evaluation/in_domain.py.
//   plausible_sounds FOLDER COUNT
#include "core/match/starts/plausible_patch.h"
#include "core/match/starts/seed_bank.h"
#include "core/parameters/patch_json.h"

#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <fmt/format.h>

int main(int argc, char** argv) {
    if (argc != 3) {
        std::fputs("plausible_sounds FOLDER COUNT\n", stderr);
        return 2;
    }
    for (int i = 0; i < std::atoi(argv[2]); ++i) {
        // One of each structure, all behind those of the bank.
        const auto number = static_cast<std::uint64_t>(facet::SeedBank::full + i * facet::plausiblePerStructure + 5);
        facet::writePatch(std::filesystem::path(argv[1]) / fmt::format("plausible_{:02}.json", i),
                          facet::plausiblePatch(number));
    }
    return 0;
}
