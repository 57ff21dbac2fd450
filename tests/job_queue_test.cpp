// Work in the background, of which the latest request wins.
#include "app/session/jobs/job_queue.h"

#include <chrono>
#include <gtest/gtest.h>
#include <stdexcept>
#include <thread>

namespace facet {
namespace {

using namespace std::chrono_literals;

bool becomes(const std::function<bool()>& so) {
    for (int i = 0; i < 5000; ++i) {
        if (so()) return true;
        std::this_thread::sleep_for(1ms);
    }
    return so();
}

/// Until it is asked to stop.
void untilAsked(const Task& task) {
    while (!task.stop.stop_requested()) std::this_thread::sleep_for(1ms);
}

TEST(JobQueues, RunWhatIsAskedOnAnotherThread) {
    JobQueue queue;
    EXPECT_FALSE(queue.busy());
    std::atomic<bool> elsewhere = false;
    const auto here = std::this_thread::get_id();
    queue.submit([&](const Task&) { elsewhere = std::this_thread::get_id() != here; });
    EXPECT_TRUE(becomes([&] { return !queue.busy(); }));
    EXPECT_TRUE(elsewhere);
}

TEST(JobQueues, ANewRequestStopsTheOldAndTakesThePlaceOfTheNext) {
    JobQueue queue(JobQueue::Priority::low);
    std::atomic<bool> running = false, others = false, second = false, third = false;
    queue.submit([&](const Task& task) {
        running = true;
        untilAsked(task);
        while (!others) std::this_thread::sleep_for(1ms); // it takes a while to stop
        task.check();
    });
    ASSERT_TRUE(becomes([&] { return running.load(); }));
    queue.submit([&](const Task&) { second = true; });
    queue.submit([&](const Task&) { third = true; });
    others = true;
    EXPECT_TRUE(becomes([&] { return third.load(); }));
    EXPECT_FALSE(second);
    EXPECT_TRUE(becomes([&] { return !queue.busy(); }));
}

TEST(JobQueues, GoOnAfterAJobThatFails) {
    JobQueue queue;
    queue.submit([](const Task&) { throw std::runtime_error("this one was made to fail"); });
    ASSERT_TRUE(becomes([&] { return !queue.busy(); }));
    std::atomic<bool> done = false;
    queue.submit([&](const Task&) { done = true; });
    EXPECT_TRUE(becomes([&] { return done.load(); }));
}

TEST(JobQueues, AreIdleAfterACancelWhereverItFalls) {
    JobQueue queue;
    std::atomic<int> begun = 0;
    for (int i = 0; i < 300; ++i) {
        queue.submit([&](const Task& task) {
            ++begun;
            untilAsked(task);
            task.check();
        });
        if (i % 3 == 1) std::this_thread::sleep_for(std::chrono::microseconds(i));
        if (i % 3 == 2) {
            ASSERT_TRUE(becomes([&] { return begun > 0; }));
        }
        begun = 0;
        queue.cancel();
        ASSERT_TRUE(becomes([&] { return !queue.busy(); })) << "at " << i;
    }
}

TEST(JobQueues, StopWhatRunsWhenTheyGo) {
    std::atomic<bool> ended = false;
    {
        JobQueue queue;
        std::atomic<bool> running = false;
        queue.submit([&](const Task& task) {
            running = true;
            untilAsked(task);
            ended = true;
        });
        ASSERT_TRUE(becomes([&] { return running.load(); }));
    }
    EXPECT_TRUE(ended);
}

} // namespace
} // namespace facet
