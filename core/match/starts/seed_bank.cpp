#include "core/match/starts/seed_bank.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/hash.h"
#include "core/base/parallel.h"
#include "core/base/units.h"
#include "core/engine/render.h"
#include "core/match/starts/plausible_patch.h"

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <cstring>
#include <map>

namespace facet {

namespace {

constexpr int bankVersion = 1; ///< grows with plausiblePatch() and signatures
constexpr int key = 48;
constexpr double noteStart = 0.02, noteEnd = 0.77, renderedSeconds = 1.2;
constexpr int ofOneStructure = 3;

struct Header {
    char magic[8] = {'f', 'a', 'c', 'e', 't', 'b', 'n', 'k'};
    std::int32_t bank = bankVersion, engine = engineVersion, bands = signatureBands, slices = signatureSlices;
    std::uint64_t count = 0, hash = 0;
};

Performance bankNote() {
    Performance performance;
    performance.notes = {{noteStart, noteEnd, key, 0.0, 100.0}};
    performance.rateHz = 48000;
    performance.frames = static_cast<int>(renderedSeconds * performance.rateHz);
    performance.channelCount = 1;
    return performance;
}

Signature silentSignature() {
    Signature none;
    none.levels.fill(Signature::unknown);
    return none;
}

std::uint64_t hashOf(const std::vector<Signature>& signatures) {
    Hasher hash;
    for (const Signature& each : signatures) hash.bytes(std::as_bytes(std::span(each.levels)));
    return hash.value();
}

} // namespace

SeedBank SeedBank::grownTo(int size, int threads, const Task& task) const {
    SeedBank grown = *this;
    const int first = this->size();
    if (size <= first) return grown;
    grown.signatures_.resize(static_cast<std::size_t>(size), silentSignature());
    const Performance note = bankNote();
    const int groups = (size - first + plausiblePerStructure - 1) / plausiblePerStructure;
    parallelFor(groups, threads, [&](int group) {
        task.check();
        std::vector<Patch> patches;
        const int begin = first + group * plausiblePerStructure;
        for (int i = begin; i < std::min(size, begin + plausiblePerStructure); ++i)
            patches.push_back(plausiblePatch(static_cast<std::uint64_t>(i)));
        const auto renders = renderAt48k(patches, note, task);
        for (std::size_t i = 0; i < renders.size(); ++i)
            if (const auto signature =
                    signatureOf(renders[i], noteStart, noteEnd, renderedSeconds, hzFromKey(key, 0.0), 20000.0))
                grown.signatures_[static_cast<std::size_t>(begin) + i] = *signature;
    });
    return grown;
}

SeedBank SeedBank::completed(const std::filesystem::path& file, int threads, const Task& task,
                             const std::function<void(const SeedBank&)>& grown) const {
    constexpr int step = 1024, savedEvery = 4 * step;
    SeedBank bank = *this;
    const auto keep = [&] {
        try {
            bank.save(file);
        } catch (const Error&) {} // it is made anew another time
    };
    int saved = bank.size();
    try {
        while (bank.size() < full) {
            task.report(static_cast<double>(bank.size()) / full, "making sounds to begin searches with");
            bank = bank.grownTo(std::min(full, bank.size() + step), threads, task);
            if (grown) grown(bank);
            if (bank.size() < full && bank.size() - saved < savedEvery) continue;
            keep();
            saved = bank.size();
        }
    } catch (const Cancelled&) {
        if (bank.size() > saved) keep();
        throw;
    }
    return bank;
}

std::filesystem::path SeedBank::cacheFile() {
    namespace fs = std::filesystem;
    if (const char* cache = std::getenv("XDG_CACHE_HOME"); cache && *cache) return fs::path(cache) / "facet/seed-bank";
    const char* home = std::getenv("HOME");
    return fs::path(home && *home ? home : "/tmp") / ".cache/facet/seed-bank";
}

std::vector<std::uint64_t> SeedBank::nearest(const Signature& note, int count) const {
    std::vector<std::pair<double, std::uint64_t>> order;
    for (std::size_t i = 0; i < signatures_.size(); ++i)
        if (const double distance = note.distanceTo(signatures_[i]); std::isfinite(distance))
            order.push_back({distance, i});
    std::sort(order.begin(), order.end());
    std::vector<std::uint64_t> numbers;
    std::map<std::uint64_t, int> taken;
    for (const auto& [distance, number] : order) {
        if (static_cast<int>(numbers.size()) == count) break;
        if (++taken[number / plausiblePerStructure] <= ofOneStructure) numbers.push_back(number);
    }
    return numbers;
}

SeedBank SeedBank::load(const std::filesystem::path& file) {
    SeedBank bank;
    try {
        const std::string bytes = readWholeFile(file);
        Header header;
        const Header own;
        if (bytes.size() < sizeof header) return bank;
        std::memcpy(&header, bytes.data(), sizeof header);
        if (std::memcmp(header.magic, own.magic, sizeof own.magic) != 0 || header.bank != own.bank ||
            header.engine != own.engine || header.bands != own.bands || header.slices != own.slices ||
            header.count > full || bytes.size() != sizeof header + header.count * sizeof(Signature))
            return bank;
        std::vector<Signature> read(header.count);
        std::memcpy(read.data(), bytes.data() + sizeof header, header.count * sizeof(Signature));
        if (hashOf(read) == header.hash) bank.signatures_ = std::move(read);
    } catch (const Error&) {} // it is made anew
    return bank;
}

void SeedBank::save(const std::filesystem::path& file) const {
    Header header;
    header.count = signatures_.size();
    header.hash = hashOf(signatures_);
    std::string bytes(reinterpret_cast<const char*>(&header), sizeof header);
    bytes.append(reinterpret_cast<const char*>(signatures_.data()), signatures_.size() * sizeof(Signature));
    std::error_code ignored; // writing says what is wrong
    std::filesystem::create_directories(file.parent_path(), ignored);
    writeWholeFile(file, bytes);
}

Patch plausiblePatchAt(std::uint64_t number, double hz) {
    Patch patch = plausiblePatch(number);
    const double octaves = std::log2(hz / hzFromKey(key, 0.0));
    for (const auto& module : std::vector(patch.modules())) {
        const char* field = module.kind == ModuleKind::filter   ? "cutoff"
                            : module.kind == ModuleKind::phaser ? "center"
                                                                : nullptr;
        if (!field) continue;
        const bool tracks = module.kind == ModuleKind::filter;
        const double followed = tracks ? 0.01 * patch.value({module.path, "key_tracking"}) : 0.0;
        const Address address{module.path, field};
        patch.setNearest(address, patch.value(address) * std::exp2(octaves * (1.0 - followed)));
    }
    return patch;
}

} // namespace facet
