// What the program says to the producer.
#pragma once

#include <QObject>
#include <QString>
#include <exception>

namespace facet {

/// Every controller says its problems and notices here; the window shows them. GUI thread only.
class Messages : public QObject {
    Q_OBJECT

public:
    using QObject::QObject;

    /// Logs a failure and says it as a problem. An Error's sentence is fit for the producer as it is.
    void report(const std::exception& failure);
    /// Likewise; Cancelled says nothing. Null: nothing.
    void report(const std::exception_ptr& failure);
    void say(const QString& sentence) { emit notice(sentence); }
    void warn(const QString& sentence, const QString& detail = {}) { emit problem(sentence, detail); }

signals:
    /// One clear sentence: what went wrong and what to do.
    void problem(const QString& sentence, const QString& detail);
    /// Something worth a line in the status bar.
    void notice(const QString& sentence);
};

} // namespace facet
