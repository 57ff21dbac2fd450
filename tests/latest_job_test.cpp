// Background work whose results come back to the thread that asked.
#include "app/session/jobs/latest_job.h"
#include "app/session/jobs/mailbox.h"

#include <QCoreApplication>
#include <QTest>
#include <algorithm>
#include <atomic>
#include <chrono>
#include <gtest/gtest.h>
#include <stdexcept>
#include <thread>
#include <vector>

namespace facet {
namespace {

using namespace std::chrono_literals;

class LatestJobs : public ::testing::Test {
protected:
    bool becomes(const std::function<bool()>& so) { return QTest::qWaitFor(so, 20000); }
    /// Waits until it is asked to stop, as Task::check() would find out.
    static int untilStopped(const Task& task) {
        while (true) {
            task.check();
            std::this_thread::sleep_for(1ms);
        }
    }

    LatestJob<int> job;
};

TEST_F(LatestJobs, DeliverOnTheThreadThatAsked) {
    const auto here = std::this_thread::get_id();
    std::atomic<bool> elsewhere = false;
    int got = 0;
    job.request(
        [&](const Task&) {
            elsewhere = std::this_thread::get_id() != here;
            return 7;
        },
        [&](int result) {
            EXPECT_EQ(std::this_thread::get_id(), here);
            got = result;
        });
    EXPECT_EQ(got, 0) << "not before the event loop runs";
    EXPECT_TRUE(becomes([&] { return got == 7; }));
    EXPECT_TRUE(elsewhere);
}

TEST_F(LatestJobs, ANewRequestStopsTheRunningOneWhoseResultIsDropped) {
    std::atomic<bool> running = false;
    std::vector<int> got;
    job.request({[&](const Task& task, const auto& publish) {
                     publish(1); // delivered too late
                     running = true;
                     untilStopped(task);
                 },
                 [&](int result) { got.push_back(result); },
                 [](const std::exception_ptr&) { ADD_FAILURE() << "a stop is no failure"; },
                 [] { ADD_FAILURE() << "nobody waits for its end any more"; }});
    while (!running) std::this_thread::sleep_for(1ms);
    job.request([](const Task&) { return 2; }, [&](int result) { got.push_back(result); });
    EXPECT_TRUE(becomes([&] { return !got.empty() && !job.busy(); }));
    QCoreApplication::processEvents();
    EXPECT_EQ(got, std::vector{2});
}

TEST_F(LatestJobs, TellManyResultsInOrderThenTheirEnd) {
    std::vector<int> got;
    bool finished = false;
    job.request({[](const Task&, const auto& publish) {
                     for (int i = 0; i < 100; ++i) publish(i);
                 },
                 [&](int result) {
                     EXPECT_FALSE(finished);
                     got.push_back(result);
                 },
                 {},
                 [&] { finished = true; }});
    EXPECT_TRUE(becomes([&] { return finished; }));
    ASSERT_EQ(got.size(), 100u);
    EXPECT_TRUE(std::is_sorted(got.begin(), got.end()));
}

TEST_F(LatestJobs, AStopLetsWhatIsToldComeThroughAndACancelDoesNot) {
    for (bool stopped : {true, false}) {
        std::atomic<bool> running = false;
        int got = 0;
        job.request({[&](const Task& task, const auto& publish) {
                         running = true;
                         try {
                             untilStopped(task);
                         } catch (const Cancelled&) {
                             publish(3); // the best so far
                         }
                     },
                     [&](int result) { got = result; }});
        while (!running) std::this_thread::sleep_for(1ms);
        if (stopped)
            job.stop();
        else
            job.cancel();
        ASSERT_TRUE(becomes([&] { return !job.busy(); }));
        QTest::qWait(0);
        QCoreApplication::processEvents();
        EXPECT_EQ(got, stopped ? 3 : 0);
    }
}

TEST_F(LatestJobs, AFailureIsToldAndTheNextRequestWorks) {
    std::string sentence;
    job.request([](const Task&) -> int { throw std::runtime_error("no such file"); },
                [](int) { ADD_FAILURE() << "there is no result"; },
                [&](const std::exception_ptr& failure) {
                    try {
                        std::rethrow_exception(failure);
                    } catch (const std::exception& problem) {
                        sentence = problem.what();
                    }
                });
    EXPECT_TRUE(becomes([&] { return sentence == "no such file"; }));
    int got = 0;
    job.request([](const Task&) { return 5; }, [&](int result) { got = result; });
    EXPECT_TRUE(becomes([&] { return got == 5; }));
}

TEST_F(LatestJobs, WhatFailsWhileItIsPutInPlaceIsAFailureToo) {
    bool failed = false;
    job.request([](const Task&) { return 5; }, [](int) { throw std::runtime_error("no room"); },
                [&](const std::exception_ptr&) { failed = true; });
    EXPECT_TRUE(becomes([&] { return failed; }));
}

TEST(LatestJob, EndsWithItsOwnerWhileSomethingRuns) {
    std::atomic<bool> running = false;
    {
        LatestJob<int> job;
        job.request({[&](const Task& task, const auto& publish) {
                         running = true;
                         while (!task.stop.stop_requested()) std::this_thread::sleep_for(1ms);
                         publish(1);
                     },
                     [](int) { ADD_FAILURE() << "its owner is gone"; }});
        while (!running) std::this_thread::sleep_for(1ms);
    }
    QCoreApplication::processEvents();
}

TEST(Mailboxes, RunWhatOtherThreadsPostInOrderOnTheirOwnThread) {
    Mailbox mailbox;
    const auto here = std::this_thread::get_id();
    std::vector<int> got;
    std::thread poster([&] {
        for (int i = 0; i < 200; ++i)
            mailbox.post([&got, i, here] {
                EXPECT_EQ(std::this_thread::get_id(), here);
                got.push_back(i);
            });
    });
    poster.join();
    EXPECT_TRUE(got.empty()) << "not before the event loop runs";
    EXPECT_TRUE(QTest::qWaitFor([&] { return got.size() == 200; }, 20000));
    EXPECT_TRUE(std::is_sorted(got.begin(), got.end()));
}

TEST(Mailboxes, DropWhatNobodyRanAndMayBePostedToFromTheirOwnCalls) {
    bool ran = false;
    {
        Mailbox mailbox;
        mailbox.post([&] { ran = true; });
    }
    QCoreApplication::processEvents();
    EXPECT_FALSE(ran);
    Mailbox mailbox;
    int calls = 0;
    mailbox.post([&] {
        ++calls;
        mailbox.post([&] { ++calls; });
    });
    EXPECT_TRUE(QTest::qWaitFor([&] { return calls == 2; }, 20000));
}

} // namespace
} // namespace facet

int main(int argc, char** argv) {
    QCoreApplication app(argc, argv);
    ::testing::InitGoogleTest(&argc, argv);
    return RUN_ALL_TESTS();
}
