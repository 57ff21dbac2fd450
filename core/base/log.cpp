#include "core/base/log.h"

#include <spdlog/sinks/ringbuffer_sink.h>
#include <spdlog/sinks/stdout_sinks.h>
#include <spdlog/spdlog.h>

namespace facet {

namespace {

struct Log {
    std::shared_ptr<spdlog::sinks::ringbuffer_sink_mt> recent =
        std::make_shared<spdlog::sinks::ringbuffer_sink_mt>(200);
    std::shared_ptr<spdlog::sinks::stderr_sink_mt> screen = std::make_shared<spdlog::sinks::stderr_sink_mt>();
    spdlog::logger logger{"facet", {recent, screen}};
    Log() { screen->set_level(spdlog::level::warn); }
};

Log& theLog() {
    static Log log;
    return log;
}

} // namespace

void logInfo(const std::string& line) { theLog().logger.info(line); }
void logWarning(const std::string& line) { theLog().logger.warn(line); }
std::vector<std::string> recentLog() { return theLog().recent->last_formatted(); }

} // namespace facet
