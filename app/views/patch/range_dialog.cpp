#include "app/views/patch/range_dialog.h"

#include "app/session/document/document_store.h"
#include "app/session/document/patch_editor.h"
#include "app/session/messages.h"
#include "core/parameters/value_text.h"

#include <QInputDialog>
#include <QRegularExpression>
#include <limits>

namespace facet {

void askSearchRange(DocumentStore& document, PatchEditor& patchEditor, Messages& messages, const Address& address,
                    const QString& name, QWidget* parent) {
    const auto tr = [](const char* text) { return QObject::tr(text); };
    const ParameterDescriptor d = document.cue()->patch.shownDescriptor(address);
    const auto known = document.cue()->ranges.find(address);
    const auto shown = [&](double value) { return QString::fromStdString(textOf(d, value)); };
    const QString now = known != document.cue()->ranges.end()
                            ? tr("%1 to %2").arg(shown(known->second.first), shown(known->second.second))
                            : QString();
    bool fine = false;
    const QString typed =
        QInputDialog::getText(parent, tr("Search range of %1").arg(name.toLower()),
                              tr("Values that a search keeps to, for example %1 to %2. Empty: wherever is plausible.")
                                  .arg(shown(d.fromUnit(0.3)), shown(d.fromUnit(0.6))),
                              QLineEdit::Normal, now, &fine);
    if (!fine) return;
    if (typed.trimmed().isEmpty()) {
        patchEditor.setSearchRange(address, {});
        return;
    }
    const QStringList ends = typed.split(QRegularExpression(tr("\\s+to\\s+|\\s*–\\s*|\\.\\.")));
    const auto valueOf = [&](int which) {
        const auto value = ends.size() == 2 ? parseValue(d, ends[which].toStdString()) : std::nullopt;
        return value.value_or(std::numeric_limits<double>::quiet_NaN());
    };
    const double low = valueOf(0), high = valueOf(1);
    if (low >= d.low && high <= d.high && low < high)
        patchEditor.setSearchRange(address, std::pair{low, high});
    else
        messages.say(tr("A range lies within %1, its lower end first").arg(QString::fromStdString(rangeText(d))));
}

} // namespace facet
