#include "app/views/patch/range_dialog.h"

#include "app/session/session.h"
#include "core/parameters/value_text.h"

#include <QInputDialog>
#include <QRegularExpression>

namespace facet {

void askSearchRange(Session& session, const Address& address, const QString& name, QWidget* parent) {
    const auto tr = [](const char* text) { return QObject::tr(text); };
    const ParameterDescriptor d = session.document.cue()->patch.shownDescriptor(address);
    const auto known = session.document.cue()->ranges.find(address);
    const auto told = [&](double value) { return QString::fromStdString(textOf(d, value)); };
    const QString now = known != session.document.cue()->ranges.end()
                            ? tr("%1 to %2").arg(told(known->second.first), told(known->second.second))
                            : QString();
    bool fine = false;
    const QString typed =
        QInputDialog::getText(parent, tr("Search range of %1").arg(name.toLower()),
                              tr("Values that a search keeps to, for example %1 to %2. Empty: wherever is plausible.")
                                  .arg(told(d.fromUnit(0.3)), told(d.fromUnit(0.6))),
                              QLineEdit::Normal, now, &fine);
    if (!fine) return;
    if (typed.trimmed().isEmpty()) {
        session.patch.setSearchRange(address, {});
        return;
    }
    const QStringList ends = typed.split(QRegularExpression(tr("\\s+to\\s+|\\s*–\\s*|\\.\\.")));
    const auto low = ends.size() == 2 ? parseValue(d, ends[0].toStdString()) : std::nullopt;
    const auto high = ends.size() == 2 ? parseValue(d, ends[1].toStdString()) : std::nullopt;
    if (low && high && *low >= d.low && *high <= d.high && *low < *high)
        session.patch.setSearchRange(address, std::pair{*low, *high});
    else
        session.messages.say(
            tr("A range lies within %1, its lower end first").arg(QString::fromStdString(rangeText(d))));
}

} // namespace facet
