// Many plausible patches with what they sound like: where a search finds patches to begin with.
#pragma once

#include "core/base/task.h"
#include "core/match/starts/spectral_signature.h"
#include "core/parameters/patch.h"

#include <cstdint>
#include <filesystem>
#include <functional>
#include <memory>
#include <vector>

namespace facet {

/// Signatures of plausiblePatch(0), plausiblePatch(1), … each playing one note. Patches are made again from their
/// numbers, so that only signatures are kept. Immutable while it is shared.
class SeedBank {
public:
    static constexpr int full = 20480;  ///< patches of a whole bank
    static constexpr int usable = 2048; ///< from so many on it helps

    int size() const { return static_cast<int>(signatures_.size()); }

    /// The bank with further patches, up to `size` of them, rendered on so many threads. Throws Cancelled.
    SeedBank grownTo(int size, int threads, const Task& task = {}) const;

    /// The whole bank, by steps: `grown` gets each of them, and what there is is saved to `file` now and then. Throws
    /// Cancelled, after what was made so far has been saved; a file that cannot be written is done without.
    SeedBank completed(const std::filesystem::path& file, int threads, const Task& task = {},
                       const std::function<void(const SeedBank&)>& grown = {}) const;

    /// $XDG_CACHE_HOME/facet/seed-bank, or ~/.cache/facet/seed-bank.
    static std::filesystem::path cacheFile();

    /// Numbers of the patches that sound most like a note, nearest first; no more than a few of one structure.
    std::vector<std::uint64_t> nearest(const Signature& note, int count) const;

    /// What a cache holds; an empty bank when there is none, it is damaged, or made by another engine.
    static SeedBank load(const std::filesystem::path& file);
    /// Throws Error.
    void save(const std::filesystem::path& file) const;

private:
    std::vector<Signature> signatures_; ///< all unknown of a patch that is silent
};

using SeedBankPtr = std::shared_ptr<const SeedBank>;

/// The patch of a number as it sounds alike at another pitch: what stands at a frequency moves along with the note.
Patch plausiblePatchAt(std::uint64_t number, double hz);

} // namespace facet
