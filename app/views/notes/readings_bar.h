// The ways to read the notes of a recording, to choose from.
#pragma once

#include <QWidget>
#include <vector>

class QHBoxLayout;
class QLabel;
class QPushButton;

namespace facet {

class DocumentStore;
class NotesController;

/// A button for each reading, the likeliest first: how probable it is and what it takes the recording for; its tooltip
/// says why. The one pointed at is outlined in the editor. Hidden where there is one reading. GUI thread only.
class ReadingsBar : public QWidget {
    Q_OBJECT

public:
    ReadingsBar(DocumentStore& document, NotesController& notes, QWidget* parent = nullptr);
    /// Shows the document as it stands; call after it has changed.
    void refresh();

    /// Narrower than the texts: they are shortened then.
    QSize minimumSizeHint() const override { return {200, QWidget::minimumSizeHint().height()}; }

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;
    void resizeEvent(QResizeEvent*) override;

private:
    void makeButtons(std::size_t count);
    void writeTexts();

    DocumentStore& document_;
    NotesController& notes_;
    QLabel* title_;
    QHBoxLayout* row_;
    QLabel* outlined_; ///< says which is drawn beside the chosen one
    std::vector<QPushButton*> buttons_;
};

} // namespace facet
