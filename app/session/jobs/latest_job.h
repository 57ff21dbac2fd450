// One kind of background work, where the latest request wins and stale results are dropped.
#pragma once

#include "app/session/jobs/job_queue.h"
#include "app/session/jobs/mailbox.h"

#include <cstdint>
#include <exception>
#include <functional>
#include <memory>
#include <utility>

namespace facet {

/// A worker thread whose results come back to the GUI thread. A new request stops the running work, takes the place of
/// a waiting one, and everything that earlier ones still deliver is dropped. Work gets values and gives values; it must
/// not touch what the GUI thread owns. All functions are called on the GUI thread.
template <typename Result> class LatestJob {
public:
    /// Delivers a result while the work goes on. Called by the work, any number of times.
    using Publish = std::function<void(Result)>;
    struct Request {
        /// On the worker. Cancelled, which Task::check() throws after a newer request, ends it; other exceptions go to
        /// `failed`.
        std::function<void(const Task&, const Publish&)> work;
        /// On the GUI thread, for each result.
        std::function<void(Result)> deliver;
        /// On the GUI thread; left out: the failure is logged, since it is reported where the same thing is worked on.
        std::function<void(const std::exception_ptr&)> failed{};
        /// On the GUI thread, after the last of the above.
        std::function<void()> finished{};
    };

    explicit LatestJob(JobQueue::Priority priority = JobQueue::Priority::normal) : queue_(priority) {}

    void request(Request wanted) {
        const std::uint64_t turn = ++turn_;
        const auto request = std::make_shared<const Request>(std::move(wanted));
        queue_.submit([this, turn, request](const Task& task) {
            try {
                request->work(task,
                              [this, turn, request](Result result) { deliver(turn, request, std::move(result)); });
            } catch (const Cancelled&) {
            } catch (...) {
                post(turn, [request, failure = std::current_exception()] { fail(*request, failure); });
            }
            if (request->finished) post(turn, [request] { request->finished(); });
        });
    }
    /// The same for work that gives one result.
    void request(std::function<Result(const Task&)> work, std::function<void(Result)> deliver,
                 std::function<void(const std::exception_ptr&)> failed = {}) {
        request({[work = std::move(work)](const Task& task, const Publish& publish) { publish(work(task)); },
                 std::move(deliver), std::move(failed)});
    }
    /// Stops what runs; nothing more of it is delivered.
    void cancel() {
        ++turn_;
        queue_.cancel();
    }
    /// Asks what runs to stop; what it still delivers is kept.
    void stop() { queue_.cancel(); }
    /// Whether anything runs or waits.
    bool busy() const { return queue_.busy(); }

private:
    static void fail(const Request& request, const std::exception_ptr& failure) {
        if (request.failed)
            request.failed(failure);
        else
            logFailure(failure);
    }
    /// What goes wrong while a result is put in its place is a failure like any other.
    void deliver(std::uint64_t turn, const std::shared_ptr<const Request>& request, Result result) {
        post(turn, [request, result = std::move(result)]() mutable {
            try {
                request->deliver(std::move(result));
            } catch (...) {
                fail(*request, std::current_exception());
            }
        });
    }
    /// Runs something on the GUI thread, unless another request came meanwhile.
    template <typename F> void post(std::uint64_t turn, F&& deliver) {
        mailbox_.post([this, turn, deliver = std::forward<F>(deliver)]() mutable {
            if (turn == turn_) deliver();
        });
    }

    std::uint64_t turn_ = 0; ///< GUI thread only
    Mailbox mailbox_;
    JobQueue queue_; ///< last: it stops before what it posts to goes
};

} // namespace facet
