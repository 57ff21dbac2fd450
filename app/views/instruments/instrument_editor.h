// Describing an instrument that somebody owns.
#pragma once

#include "core/instruments/instrument.h"

#include <QDialog>
#include <functional>

class QLabel;
class QLineEdit;
class QPushButton;
class QToolButton;
class QTreeWidget;

namespace facet {

class ControlEditor;

/// Works on a copy; kept() brings what it has become. GUI thread only.
class InstrumentEditor : public QDialog {
    Q_OBJECT

public:
    /// Keeps a finished description; false, having said why, where it cannot.
    using Keep = std::function<bool(const Instrument&)>;

    /// `inView`: what "Take the patch in view" takes.
    InstrumentEditor(const Instrument& instrument, const Patch& inView, Keep keep, QWidget* parent = nullptr);
    const Instrument& instrument() const { return draft_; }

protected:
    void reject() override;

private:
    QWidget* makeList();
    void fillAddMenu();
    void add(const Address& address);
    void addAllThatIsSet();
    void remove();
    void move(int by);
    void takePatch();
    void measure();
    void choose(int row);
    void showControls();
    void refresh();
    int chosen() const;

    Instrument draft_;
    const Instrument before_;
    const Patch inView_;
    const Keep keep_;
    QLineEdit* name_;
    QLineEdit* about_;
    QTreeWidget* controls_;
    QToolButton* add_;
    QPushButton* remove_;
    QPushButton* earlier_;
    QPushButton* later_;
    QLabel* structure_;
    QLabel* noControl_;
    ControlEditor* editor_;
    QLabel* problem_;
    QPushButton* save_;
};

} // namespace facet
