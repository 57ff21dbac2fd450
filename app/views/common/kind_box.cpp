#include "app/views/common/kind_box.h"

#include "app/views/common/theme.h"

#include <QAbstractItemView>
#include <QPainter>
#include <QStyledItemDelegate>
#include <cmath>

namespace facet {

namespace {

constexpr int likenessRole = Qt::UserRole + 7;
constexpr int likenessWidth = 44;

/// The name at the left as ever, the likeness at the right.
class KindDelegate : public QStyledItemDelegate {
public:
    using QStyledItemDelegate::QStyledItemDelegate;
    void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override {
        QStyledItemDelegate::paint(painter, option, index);
        const QVariant likeness = index.data(likenessRole);
        if (!likeness.isValid()) return;
        painter->save();
        painter->setFont(interfaceFont(9.5, QFont::DemiBold));
        painter->setPen(option.state & QStyle::State_Selected ? option.palette.highlightedText().color()
                                                              : theme().quiet);
        painter->drawText(option.rect.adjusted(0, 0, -8, 0), Qt::AlignRight | Qt::AlignVCenter,
                          QString::number(std::lround(likeness.toDouble())));
        painter->restore();
    }
    QSize sizeHint(const QStyleOptionViewItem& option, const QModelIndex& index) const override {
        return QStyledItemDelegate::sizeHint(option, index) + QSize(likenessWidth, 0);
    }
};

} // namespace

KindBox::KindBox(QWidget* parent) : QComboBox(parent) {
    setItemDelegate(new KindDelegate(this));
    setSizeAdjustPolicy(AdjustToMinimumContentsLengthWithIcon); // the list may be wider than its place
    setMinimumContentsLength(6);
}

void KindBox::setLikeness(int index, double likeness) {
    if (index < 0 || index >= count()) return;
    setItemData(index, likeness, likenessRole);
    const QString described = tr("%1, likeness %2").arg(itemText(index)).arg(std::lround(likeness));
    setItemData(index, described, Qt::AccessibleTextRole);
    setItemData(index, described, Qt::ToolTipRole);
}

void KindBox::forgetLikeness() {
    for (int i = 0; i < count(); ++i)
        for (const int role :
             {likenessRole, static_cast<int>(Qt::AccessibleTextRole), static_cast<int>(Qt::ToolTipRole)})
            setItemData(i, QVariant(), role);
}

void KindBox::showPopup() {
    view()->setMinimumWidth(std::max(width(), view()->sizeHintForColumn(0) + 24));
    emit looked();
    QComboBox::showPopup();
}

} // namespace facet

#include "moc_kind_box.cpp"
