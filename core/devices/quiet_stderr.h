// Keeps what sound libraries print about missing devices off the terminal.
#pragma once

#include <fcntl.h>
#include <unistd.h>

namespace facet {

/// The sound libraries below RtAudio write pages to stderr wherever a device is missing; what matters comes as an
/// exception. Main thread only.
class QuietStderr {
public:
    QuietStderr() : kept_(::dup(STDERR_FILENO)) {
        const int nothing = ::open("/dev/null", O_WRONLY | O_CLOEXEC);
        if (nothing < 0) return;
        ::dup2(nothing, STDERR_FILENO);
        ::close(nothing);
    }
    ~QuietStderr() {
        if (kept_ < 0) return;
        ::dup2(kept_, STDERR_FILENO);
        ::close(kept_);
    }
    QuietStderr(const QuietStderr&) = delete;
    QuietStderr& operator=(const QuietStderr&) = delete;

private:
    int kept_;
};

} // namespace facet
