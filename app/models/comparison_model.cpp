#include "app/models/comparison_model.h"

namespace facet {

void ComparisonModel::show(const FacetComparison* facet) {
    beginResetModel();
    values_ = facet ? facet->values : std::vector<ComparedValue>{};
    endResetModel();
}

int ComparisonModel::rowCount(const QModelIndex& parent) const {
    return parent.isValid() ? 0 : static_cast<int>(values_.size());
}
int ComparisonModel::columnCount(const QModelIndex& parent) const { return parent.isValid() ? 0 : 4; }

QVariant ComparisonModel::data(const QModelIndex& index, int role) const {
    const auto& value = values_[static_cast<std::size_t>(index.row())];
    if (role == Qt::TextAlignmentRole)
        return QVariant(Qt::Alignment(index.column() == 0 ? Qt::AlignLeft : Qt::AlignRight) | Qt::AlignVCenter);
    if (role != Qt::DisplayRole) return {};
    const std::string* columns[] = {&value.label, &value.reference, &value.render, &value.difference};
    return QString::fromStdString(*columns[index.column()]);
}

QVariant ComparisonModel::headerData(int section, Qt::Orientation orientation, int role) const {
    if (orientation != Qt::Horizontal) return {};
    if (role == Qt::TextAlignmentRole)
        return QVariant(Qt::Alignment(section == 0 ? Qt::AlignLeft : Qt::AlignRight) | Qt::AlignVCenter);
    if (role != Qt::DisplayRole) return {};
    return QStringList{tr("Measured"), tr("Reference"), tr("Render"), tr("Difference")}.value(section);
}

} // namespace facet

#include "moc_comparison_model.cpp"
