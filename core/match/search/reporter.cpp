#include "core/match/search/reporter.h"

#include "core/match/starts/estimate.h"

#include <cmath>
#include <set>

namespace facet {

std::vector<Leader> Reporter::leaders() {
    constexpr std::size_t most = 4;
    std::vector<Leader> leading;
    std::set<std::string> texts;
    double last = -1.0;
    for (const Leaderboard::Entry* each : leaderboard_.ranking()) {
        if (leading.size() == most) break;
        if (std::abs(each->candidate.loss - last) < sameLoss * last) continue; // differs in what is not heard
        last = each->candidate.loss;
        Leader leader{each->candidate.patch, each->candidate.loss};
        if (!texts.insert(structureText(leader.patch)).second) continue; // people see no difference
        if (const auto likeness = scores_.nowAndThen(leader.patch)) leader.likeness = *likeness;
        leading.push_back(std::move(leader));
    }
    return leading;
}

void Reporter::report(const std::string& trying) {
    if (!listener_) return;
    MatchProgress now;
    now.trying = trying;
    now.evaluations = budget_.evaluations();
    now.seconds = budget_.secondsSoFar();
    now.fraction = budget_.fraction();
    now.best = leaderboard_.bestOfAll().patch;
    now.loss = leaderboard_.bestOfAll().loss;
    now.improved = leaderboard_.takeImproved();
    outdated_ = outdated_ || now.improved;
    constexpr double showEvery = 10.0; // times what it takes
    if (outdated_ && now.seconds - shownAt_ > showEvery * budget_.scoreSeconds()) show(now.best);
    now.likeness = shown_.likeness;
    now.facets = shown_.facets;
    now.leaders = leaders();
    listener_(now);
}

void Reporter::show(const Patch& patch) {
    shown_ = scores_.of(patch);
    outdated_ = false;
    shownAt_ = budget_.secondsSoFar();
}

} // namespace facet
