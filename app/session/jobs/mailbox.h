// Calls that worker threads leave for the thread of the window.
#pragma once

#include <QObject>
#include <deque>
#include <functional>
#include <mutex>

namespace facet {

/// Runs what is posted on the thread that made the mailbox, one call an event, in the order in which they were posted.
/// What has not been run when the mailbox goes is dropped. The calls cross threads under the mailbox's own lock, so
/// that nothing depends on how the event loop synchronizes.
class Mailbox : public QObject {
public:
    /// Any thread.
    void post(std::function<void()> call);

protected:
    bool event(QEvent* event) override;

private:
    std::mutex mutex_;
    std::deque<std::function<void()>> calls_;
};

} // namespace facet
