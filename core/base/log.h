// The program's log: to stderr at warning level, and the last lines kept for error reports.
#pragma once

#include <string>
#include <vector>

namespace facet {

/// Any thread except the audio thread may log.
void logInfo(const std::string& line);
void logWarning(const std::string& line);

/// The most recent lines (at most 200), oldest first, with time stamps.
std::vector<std::string> recentLog();

} // namespace facet
