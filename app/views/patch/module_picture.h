// A small drawing of what a module is: its wave, its shape, its response.
#pragma once

#include "core/parameters/patch.h"

#include <QWidget>
#include <optional>
#include <vector>

namespace facet {

/// Draws a source's cycle before its first partials, an LFO's cycle, a filter's response or an envelope. Empty for
/// other modules.
class ModulePicture : public QWidget {
    Q_OBJECT

public:
    explicit ModulePicture(QWidget* parent = nullptr);
    static bool draws(ModuleKind kind);
    /// Takes the module as it stands; costs nothing when it has not changed.
    void show(const Patch& patch, const Patch::Module& module);
    static constexpr QSize fixedSize{56, 30};
    QSize sizeHint() const override { return fixedSize; }

protected:
    void paintEvent(QPaintEvent*) override;

private:
    std::optional<Patch::Module> shown_;
    std::vector<float> line_;      ///< −1…1, left to right
    std::vector<double> partials_; ///< of a source, dB re the strongest; drawn fainter behind its cycle
};

} // namespace facet
