// The large picture of one facet: both sounds in one plot.
#pragma once

#include "app/session/results/result_values.h"
#include "app/views/facets/facet_pictures.h"
#include "core/parameters/table.h"

#include <QWidget>
#include <array>
#include <filesystem>

class QComboBox;
class QCPItemLine;
class QCPItemText;
class QCustomPlot;
class QLabel;

namespace facet {

/// Curves over time or frequency, or partial levels side by side. A cursor that follows the mouse, or the arrow keys,
/// reads both sounds off; the wheel or + and − zoom. The picture and its numbers can be saved.
class FacetPlot : public QWidget {
    Q_OBJECT

public:
    explicit FacetPlot(QWidget* parent = nullptr);
    void show(Facet facet, const CueResults& results);
    /// Another picture of the facet, by its place in picturesOf().
    void choosePicture(int index);
    void restyle();
    /// What stands at the cursor, as plain text.
    QString readout() const { return plainReadout_; }
    /// Writes what is drawn: columns x, reference and render. Throws Error.
    void writeNumbers(const std::filesystem::path& path) const;
    /// The same as a picture. Throws Error.
    void writePicture(const std::filesystem::path& path);

signals:
    void problem(const QString& sentence);

protected:
    void keyPressEvent(QKeyEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;

private:
    void draw();
    void drawCurves();
    void drawPartials();
    void setAxes(const FacetPicture& picture);
    void showNothing(bool empty);
    void showAll();
    void zoom(double factor);
    void moveCursor(double x);
    void save(bool numbers);
    const FacetPicture& picture() const { return pictures_[static_cast<std::size_t>(chosen_)]; }
    QString motionLabel() const;

    QCustomPlot* plot_;
    QCPItemText* nothing_ = nullptr; ///< why the plot is empty
    QCPItemLine* cursorLine_ = nullptr;
    QLabel* title_;
    QComboBox* chooser_;
    QLabel* readout_;
    QString plainReadout_;
    Facet facet_ = Facet::brightness;
    std::vector<FacetPicture> pictures_;
    int chosen_ = 0;
    std::array<int, facetCount> lastChosen_{}; ///< of each facet
    bool linear_ = false;                      ///< frequencies on straight axes
    double cursor_ = 0.0;
    ProfilePtr reference_, render_;
};

} // namespace facet
