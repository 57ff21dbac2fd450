// Keys to play the patch by, and above each what the phrase plays of it: softly, at medium velocity, hard.
#pragma once

#include "core/performance/performance.h"

#include <QWidget>
#include <array>
#include <bitset>

namespace facet {

/// The mouse plays keys, harder further down; a cell of the rows above plays that key at that velocity. By keyboard:
/// arrows choose a cell or key, Enter plays it.
class PianoKeys : public QWidget {
    Q_OBJECT

public:
    static constexpr int lowestKey = 24, highestKey = 108; ///< C1 to C8
    static constexpr std::array<int, 3> velocities{40, 80, 120};

    explicit PianoKeys(QWidget* parent = nullptr);
    /// What the phrase plays; the rest of the cells is what it does not show.
    void setPhrase(const std::vector<Note>& notes);
    void setDown(int key, bool down);
    void allUp();
    /// Whether the phrase plays a key at about the velocity of a row.
    bool covers(int key, int row) const { return covered_[static_cast<std::size_t>(row)].test(place(key)); }
    QRectF cellRect(int key, int row) const;
    QRectF keyRect(int key) const;
    QSize sizeHint() const override { return {1000, 118}; }

signals:
    void pressed(int key, double velocity);
    void released(int key);
    /// A note of a moment's length.
    void wanted(int key, double velocity);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    bool event(QEvent* event) override;

private:
    using Keys = std::bitset<128>;
    static std::size_t place(int key) { return static_cast<std::size_t>(key); }
    static bool isBlack(int key);
    int keyAt(QPointF at) const;
    int rowAt(QPointF at) const;
    double velocityAt(int key, QPointF at) const;
    QString words(int key, int row) const;
    void choose(int key, int row);
    void paintCells(QPainter& painter) const;
    void paintKeys(QPainter& painter) const;

    std::array<Keys, velocities.size()> covered_;
    Keys down_;
    int held_ = -1;     ///< by the mouse
    int chosen_ = 60;   ///< by the keyboard
    int chosenRow_ = 3; ///< velocities.size(): the keys
};

} // namespace facet
