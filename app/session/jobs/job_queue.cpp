#include "app/session/jobs/job_queue.h"

#include "core/base/log.h"
#include "core/base/parallel.h"

#include <utility>

namespace facet {

void logFailure(const std::exception_ptr& failure) {
    try {
        std::rethrow_exception(failure);
    } catch (const std::exception& problem) {
        logWarning(problem.what());
    }
}

JobQueue::JobQueue(Priority priority)
    : priority_(priority), thread_([this](const std::stop_token& quit) { run(quit); }) {}

JobQueue::~JobQueue() {
    cancel();
    thread_.request_stop();
}

void JobQueue::submit(Job job) {
    {
        const std::lock_guard lock(mutex_);
        current_.request_stop();
        waiting_ = std::move(job);
        busy_ = true;
    }
    wake_.notify_one();
}

void JobQueue::cancel() {
    {
        const std::lock_guard lock(mutex_);
        current_.request_stop();
        waiting_ = nullptr;
    }
    wake_.notify_one(); // or it would be busy with what was forgotten before it began
}

void JobQueue::run(const std::stop_token& quit) {
    constexpr int slightly = 3, much = 10;
    if (priority_ != Priority::normal) lowerThreadPriority(priority_ == Priority::behind ? slightly : much);
    while (!quit.stop_requested()) {
        Job job;
        Task task;
        {
            std::unique_lock lock(mutex_);
            const auto hasWork = [this] {
                busy_ = waiting_ != nullptr;
                return waiting_ != nullptr;
            };
            if (!wake_.wait(lock, quit, hasWork)) return;
            job = std::exchange(waiting_, nullptr);
            current_ = std::stop_source();
            task.stop = current_.get_token();
        }
        try {
            job(task);
        } catch (const Cancelled&) {
            // a newer request took its place
        } catch (...) {
            logFailure(std::current_exception());
        }
    }
}

} // namespace facet
