// facet-cli: the core on the command line. docs/command-line.md describes it.
#include "cli/commands.h"
#include "core/base/error.h"
#include "core/base/log.h"
#include "core/base/memory.h"
#include "core/base/processor.h"

#include <CLI/CLI.hpp>
#include <cstdio>

namespace {

constexpr int wrongUsage = 2;

int run(int argc, char** argv) {
    CLI::App app("Facet rebuilds a synthesizer sound heard on a recording.", "facet-cli");
    app.set_version_flag("--version", std::string("facet-cli ") + FACET_VERSION);
    app.require_subcommand(1);
    facet::cli::addAnalyze(app);
    facet::cli::addReadings(app);
    facet::cli::addRender(app);
    facet::cli::addCompare(app);
    facet::cli::addMatch(app);
    facet::cli::addBank(app);
    facet::cli::addMoves(app);
    facet::cli::addBuild(app);
    facet::cli::addSheet(app);
    facet::cli::addInstruments(app);
    facet::cli::addMeasure(app);
    facet::cli::addMacros(app);
    facet::cli::addExport(app);
    facet::cli::addPiece(app);
    facet::cli::addWavetable(app);
    facet::cli::addChanges(app);
    facet::cli::addStages(app);
    facet::cli::addElements(app);
    facet::cli::addParams(app);
    try {
        app.parse(argc, argv); // runs the command
    } catch (const CLI::Success& asked) {
        return app.exit(asked);
    } catch (const CLI::ParseError& problem) {
        app.exit(problem);
        return wrongUsage;
    }
    return 0;
}

} // namespace

int main(int argc, char** argv) {
    if (const char* problem = facet::processorProblem()) {
        std::fprintf(stderr, "%s\n", problem);
        return 1;
    }
    facet::keepFreedMemory();
    try {
        return run(argc, argv);
    } catch (const facet::Error& problem) {
        std::fprintf(stderr, "%s\n", problem.what());
        if (!problem.detail().empty()) facet::logInfo(problem.detail());
    } catch (const std::bad_alloc&) {
        std::fprintf(stderr, "There is not enough memory for this; choose a shorter part of the recording.\n");
    } catch (const std::exception& problem) {
        std::fprintf(stderr, "Something unexpected went wrong (%s); please report it.\n", problem.what());
    }
    return 1;
}
