// One background worker where the latest request wins.
#pragma once

#include "core/base/task.h"

#include <atomic>
#include <condition_variable>
#include <exception>
#include <functional>
#include <mutex>
#include <thread>

namespace facet {

/// Logs what a job did not report itself. Any thread.
void logFailure(const std::exception_ptr& failure);

/// Runs one job at a time on a thread of its own. A new job stops the running one and takes the place of any that
/// waits. Jobs get values and give values; what they deliver must check that it is still wanted. Any thread may submit.
class JobQueue {
public:
    /// `behind`: what somebody waits for and may take all processors; `low`: what nobody waits for.
    enum class Priority { normal, behind, low };
    explicit JobQueue(Priority priority = Priority::normal);
    /// Stops what runs and waits for it.
    ~JobQueue();

    using Job = std::function<void(const Task&)>;
    void submit(Job job);
    /// Asks the running job to stop and forgets the waiting one.
    void cancel();
    /// Whether anything runs or waits.
    bool busy() const { return busy_; }

private:
    void run(const std::stop_token& quit);

    std::mutex mutex_;
    std::condition_variable_any wake_;
    Job waiting_;
    std::stop_source current_;
    std::atomic<bool> busy_ = false;
    const Priority priority_;
    std::jthread thread_; ///< last: everything above outlives it
};

} // namespace facet
