#include "app/session/jobs/mailbox.h"

#include <QCoreApplication>
#include <QEvent>
#include <utility>

namespace facet {

void Mailbox::post(std::function<void()> call) {
    {
        const std::lock_guard lock(mutex_);
        calls_.push_back(std::move(call));
    }
    QCoreApplication::postEvent(this, new QEvent(QEvent::User));
}

bool Mailbox::event(QEvent* event) {
    if (event->type() != QEvent::User) return QObject::event(event);
    std::function<void()> call;
    {
        const std::lock_guard lock(mutex_);
        call = std::move(calls_.front());
        calls_.pop_front();
    }
    call();
    return true;
}

} // namespace facet
