// The commands of facet-cli: each adds its options to the program and runs when they are parsed.
#pragma once

namespace CLI {
class App;
}

namespace facet::cli {

void addAnalyze(CLI::App& app);
void addReadings(CLI::App& app);
void addRender(CLI::App& app);
void addCompare(CLI::App& app);
void addMatch(CLI::App& app);
void addBank(CLI::App& app);
void addMoves(CLI::App& app);
void addBuild(CLI::App& app);
void addSheet(CLI::App& app);
void addInstruments(CLI::App& app);
void addMeasure(CLI::App& app);
void addMacros(CLI::App& app);
void addExport(CLI::App& app);
void addPiece(CLI::App& app);
void addWavetable(CLI::App& app);
void addChanges(CLI::App& app);
void addStages(CLI::App& app);
void addElements(CLI::App& app);
void addParams(CLI::App& app);

} // namespace facet::cli
