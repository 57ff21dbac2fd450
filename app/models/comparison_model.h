// One facet's measured values as a table: reference | render | difference.
#pragma once

#include "core/compare/comparison.h"

#include <QAbstractTableModel>

namespace facet {

/// A snapshot; show() replaces it.
class ComparisonModel : public QAbstractTableModel {
    Q_OBJECT

public:
    using QAbstractTableModel::QAbstractTableModel;
    void show(const FacetComparison* facet);

    int rowCount(const QModelIndex& parent = {}) const override;
    int columnCount(const QModelIndex& parent = {}) const override;
    QVariant data(const QModelIndex& index, int role) const override;
    QVariant headerData(int section, Qt::Orientation orientation, int role) const override;

private:
    std::vector<ComparedValue> values_;
};

} // namespace facet
