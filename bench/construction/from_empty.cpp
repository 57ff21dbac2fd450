// What next moves propose from the empty patch, and where the first of them taken again and again leads, for sounds of
// known making: figures for bench/construction/from_empty.py.
//   build/release/bench/from_empty FOLDER SECONDS TAKEN ID…
// FOLDER: of references.py. The notes are those of the likeliest reading. A line of JSON for each: the first list and
// the last with the elements that each move brings and takes away, the likeness after each of at most TAKEN first moves
// taken, and that of a search of SECONDS (0: none).
#include "bench/construction/known_sound.h"
#include "core/analysis/notes/reading.h"
#include "core/audio/channels.h"
#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/parallel.h"
#include "core/match/evidence/motion_odds.h"
#include "core/match/match.h"
#include "core/match/suggest/move_words.h"
#include "core/match/suggest/next_moves.h"
#include "core/parameters/changes.h"

#include <chrono>
#include <cstdio>
#include <cstdlib>

namespace facet {
namespace {

using Clock = std::chrono::steady_clock;
double secondsSince(Clock::time_point begin) { return std::chrono::duration<double>(Clock::now() - begin).count(); }

Json wordsOf(const std::set<Element>& elements) {
    Json words = Json::array();
    for (const Element each : elements) words.push_back(std::string(wordOf(each)));
    return words;
}

Json listOf(const NextMoves& moves, const Patch& from, const ElementOdds& odds) {
    Json list = Json::array();
    for (const Move& move : moves.best) {
        Json one;
        one["what"] = move.what;
        one["why"] = move.why;
        double likely = 1.0;
        for (const Element each : elementsBeyond(move.patch, from)) likely = std::min(likely, odds.probabilityOf(each));
        one["likely"] = likely;
        one["adds"] = wordsOf(elementsBeyond(move.patch, from));
        one["removes"] = wordsOf(elementsBeyond(from, move.patch));
        Json changed = Json::array();
        for (const Address& address : changedAddresses(from, move.patch)) changed.push_back(address.text());
        one["changes"] = changed;
        one["likeness"] = move.likeness;
        one["worth"] = move.worth;
        list.push_back(one);
    }
    return list;
}

void run(const std::string& folder, const std::string& id, double seconds, int mostTaken) {
    const KnownSound known = readKnownSound(folder, id);
    Json out;
    out["id"] = id;
    Performance performance = readingsOf(monoMix(atRate(known.recording, analysisRateHz))).front().found.performance;
    performance.frames = known.recording.frameCount();
    performance.rateHz = known.recording.rateHz;
    performance.channelCount = known.recording.channelCount();
    if (performance.notes.empty()) return;
    const int threads = hardwareThreads();
    const auto profile = std::make_shared<const Profile>(
        measureProfile(known.recording, performance, {.source = nullptr, .threads = threads}));
    auto begin = Clock::now();
    const MoveFinder finder({{std::make_shared<const Recording>(known.recording), profile, performance}});
    finder.prepare(threads);
    out["preparing"] = secondsSince(begin);
    const ElementOdds odds =
        withMeasuredMotion(elementOdds(atRate(known.recording, analysisRateHz), performance), profile->motion);
    MoveSettings settings;
    settings.threads = threads;
    Patch patch;
    Json chain = Json::array(), taken = Json::array();
    for (int k = 0; k < mostTaken; ++k) {
        begin = Clock::now();
        const NextMoves moves = finder.find(patch, settings, {}, [&](const NextMoves& list) {
            if (list.complete || k > 0) return;
            out["first seconds"] = secondsSince(begin);
            out["first"] = listOf(list, patch, odds);
        });
        if (k == 0) {
            out["seconds"] = secondsSince(begin);
            out["list"] = listOf(moves, patch, odds);
            chain.push_back(moves.before);
        }
        if (moves.best.empty()) break;
        chain.push_back(moves.best.front().likeness);
        taken.push_back(moves.best.front().what);
        patch = moves.best.front().patch;
    }
    out["chain"] = chain;
    out["taken"] = taken;
    if (seconds > 0.0) {
        MatchSettings searched;
        searched.seconds = seconds;
        searched.threads = threads;
        out["search"] = match(known.recording, performance, searched).best.likeness;
    }
    std::puts(out.dump().c_str());
    std::fflush(stdout);
}

} // namespace
} // namespace facet

int main(int argc, char** argv) {
    if (argc < 5) return 2;
    try {
        for (int i = 4; i < argc; ++i) facet::run(argv[1], argv[i], std::atof(argv[2]), std::atoi(argv[3]));
    } catch (const std::exception& problem) {
        std::fprintf(stderr, "%s\n", problem.what());
        return 1;
    }
    return 0;
}
