// Values in a line: small names above, what they are below.
#pragma once

#include "core/parameters/reading.h"

#include <QWidget>
#include <vector>

namespace facet {

/// Shows as many as have room.
class PathStrip : public QWidget {
    Q_OBJECT

public:
    explicit PathStrip(QWidget* parent = nullptr);
    void show(const std::vector<ImportantValue>& values);
    QSize sizeHint() const override { return {300, 32}; }

protected:
    void paintEvent(QPaintEvent*) override;

private:
    std::vector<ImportantValue> values_;
};

} // namespace facet
