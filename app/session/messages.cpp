#include "app/session/messages.h"

#include "core/base/error.h"
#include "core/base/log.h"
#include "core/base/task.h"

namespace facet {

void Messages::report(const std::exception& failure) {
    const auto* known = dynamic_cast<const Error*>(&failure);
    const QString detail = known ? QString::fromStdString(known->detail()) : QString();
    logInfo(std::string(failure.what()) + (detail.isEmpty() ? "" : " [" + detail.toStdString() + "]"));
    emit problem(QString::fromUtf8(failure.what()), detail);
}

void Messages::report(const std::exception_ptr& failure) {
    if (!failure) return;
    try {
        std::rethrow_exception(failure);
    } catch (const Cancelled&) {
    } catch (const std::exception& problem) {
        report(problem);
    }
}

} // namespace facet

#include "moc_messages.cpp"
