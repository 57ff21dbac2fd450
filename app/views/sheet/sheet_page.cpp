#include "app/views/sheet/sheet_page.h"

#include "app/print/pdf.h"
#include "app/print/sheet_document.h"
#include "app/session/matching/sheet_controller.h"
#include "app/session/messages.h"
#include "app/session/document/document_store.h"
#include "app/session/matching/sound_exporter.h"
#include "app/views/instruments/instrument_choice.h"
#include "app/views/common/theme.h"
#include "app/views/sheet/export_dialog.h"
#include "app/views/sheet/macro_panel.h"
#include "core/base/files.h"
#include "core/parameters/patch_json.h"

#include <QClipboard>
#include <QEvent>
#include <QFileDialog>
#include <QGuiApplication>
#include <QHBoxLayout>
#include <QLabel>
#include <QPrintDialog>
#include <QPrinter>
#include <QProgressBar>
#include <QPushButton>
#include <QScrollArea>
#include <QTemporaryDir>
#include <QTextBrowser>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

namespace facet {

SheetPage::SheetPage(DocumentStore& document, PatchEditor& patchEditor, PatchComparisons& comparisons,
                     SheetController& sheet, SoundExporter& exporter, InstrumentKeeper& instruments,
                     MacroControllers& controllers, Messages& messages, QWidget* parent)
    : QWidget(parent), document_(document), sheet_(sheet), exporter_(exporter), messages_(messages) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(6);
    auto* head = new QHBoxLayout;
    state_ = new QLabel(this);
    state_->setObjectName("sheetState");
    state_->setWordWrap(true);
    head->addWidget(state_, 1);
    progress_ = new QProgressBar(this);
    progress_->setRange(0, 100);
    progress_->setTextVisible(false);
    progress_->setFixedWidth(160);
    progress_->setAccessibleName(tr("How far the sheet is"));
    head->addWidget(progress_);
    const auto button = [&](const QString& text, const char* name, const QString& tip, auto&& what) {
        auto* made = new QPushButton(text, this);
        made->setObjectName(name);
        made->setToolTip(tip);
        connect(made, &QPushButton::clicked, this, what);
        head->addWidget(made);
        return made;
    };
    take_ = button(tr("Take these values"), "takeValues",
                   tr("Makes the rounded patch the one you work on; what is there now is kept as a take"),
                   [this] { sheet_.takeValues(); });
    copy_ = button(tr("Copy as text"), "copySheet", tr("Puts the sheet on the clipboard, to paste into a message"),
                   [this] { copy(); });
    save_ = button(tr("Save …"), "saveSheet", tr("As PDF, as one HTML file with sounds, as Markdown or as text"),
                   [this] { askWhere(); });
    print_ = button(tr("Print …"), "printSheet", tr("On paper"), [this] { print(); });
    button(tr("Export …"), "exportSound",
           tr("Recorded notes that samplers play (SFZ, SoundFont), a wavetable, the phrase in parts, or all files of "
              "this sound"),
           [this] { exportSound(); });
    layout->addLayout(head);
    text_ = new QTextBrowser(this);
    text_->setObjectName("sheetText");
    text_->setAccessibleName(tr("The sheet"));
    text_->setOpenLinks(false);
    text_->setFrameShape(QFrame::NoFrame);
    text_->document()->setDocumentMargin(20.0);
    auto* below = new QHBoxLayout;
    below->setSpacing(18);
    below->addWidget(text_, 1);
    auto* side = new QScrollArea(this);
    side->setWidgetResizable(true);
    side->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    side->setFixedWidth(300);
    auto* beside = new QWidget(side);
    auto* column = new QVBoxLayout(beside);
    column->setContentsMargins(0, 0, 0, 0);
    auto* asked = new QLabel(tr("Settings told for"), beside);
    asked->setObjectName("sectionTitle");
    column->addWidget(asked);
    column->addWidget(new InstrumentChoice(document, instruments, beside));
    column->addSpacing(12);
    macros_ = new MacroPanel(document, patchEditor, comparisons, messages, sheet, controllers, beside);
    column->addWidget(macros_, 1);
    side->setWidget(beside);
    below->addWidget(side);
    layout->addLayout(below, 1);
    connect(&sheet_, &SheetController::changed, this, &SheetPage::refresh);
    connect(&sheet_, &SheetController::progressed, this, &SheetPage::refresh);
    refresh();
}

void SheetPage::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    sheet_.want(true);
    refresh();
}

void SheetPage::hideEvent(QHideEvent* event) {
    sheet_.want(false);
    QWidget::hideEvent(event);
}

void SheetPage::changeEvent(QEvent* event) {
    QWidget::changeEvent(event);
    if (event->type() != QEvent::StyleChange && event->type() != QEvent::PaletteChange) return;
    shown_.reset(); // in the colors of the other theme
    refresh();
}

void SheetPage::refresh() {
    using State = SheetController::State;
    const State state = sheet_.state();
    const auto& sheet = sheet_.sheet();
    QString words;
    if (state == State::making)
        words = tr("Rounding the values as far as they sound alike: %1 …").arg(sheet_.doing());
    else if (state == State::failed)
        words = tr("There is no sheet of this patch; the message says why.");
    else if (!sheet)
        words = tr("Open a reference whose notes are known: the patch is then told as a page for others.");
    else
        words = tr("%1 values to set, %2 of 100 alike")
                    .arg(valuesIn(sheet->recipe))
                    .arg(std::lround(sheet->recipe.likeness));
    state_->setText(words);
    progress_->setVisible(state == State::making);
    progress_->setValue(static_cast<int>(std::lround(100.0 * sheet_.progress())));
    const bool usable = sheet != nullptr && state == State::made;
    for (QPushButton* each : {take_, copy_, save_, print_}) each->setEnabled(usable);
    text_->setEnabled(state != State::making);
    if (sheet != shown_ && isVisible()) showSheet();
}

void SheetPage::showSheet() {
    shown_ = sheet_.sheet();
    text_->setVisible(shown_ != nullptr);
    if (!shown_) {
        text_->clear();
        return;
    }
    const Theme& t = theme();
    fillDocument(*text_->document(), sheet_.page(), interfaceFont(10.5),
                 {t.ink, t.quiet, t.line, t.reference, t.render}, std::max(1.0, devicePixelRatioF()));
}

void SheetPage::copy() {
    QGuiApplication::clipboard()->setText(QString::fromStdString(pageText(sheet_.page())));
    messages_.say(tr("The sheet is on the clipboard."));
}

bool SheetPage::save(const QString& path) {
    if (!sheet_.sheet()) return false;
    try {
        if (path.endsWith(".pdf"))
            writePdf(path.toStdString(), sheet_.page(), sheet_.patchText());
        else if (!sheet_.write(path))
            return false;
    } catch (const std::exception& failure) {
        messages_.report(failure);
        return false;
    }
    messages_.say(tr("The sheet is saved as %1.").arg(path));
    return true;
}

void SheetPage::askWhere() {
    const QString name = QString::fromStdString(sheet_.page().title);
    QString kind;
    QString path = QFileDialog::getSaveFileName(
        this, tr("Save the sheet"), name + ".pdf",
        tr("PDF to print (*.pdf);;HTML with sounds (*.html);;Markdown (*.md);;Text (*.txt)"), &kind);
    if (path.isEmpty()) return;
    const QString end = kind.section('*', 1).section(')', 0, 0);
    const bool hasEnd =
        path.endsWith(".pdf") || path.endsWith(".html") || path.endsWith(".md") || path.endsWith(".txt");
    if (!hasEnd) path += end;
    save(path);
}

void SheetPage::exportSound() {
    const Cue* cue = document_.cue();
    if (!cue) return;
    auto* dialog = new ExportDialog(
        exporter_, bundle(), [this](Bundle& bundle) { addPdf(bundle); }, QString::fromStdString(cue->name), this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->open();
}

Bundle SheetPage::bundle() const {
    const Cue& cue = *document_.cue();
    Bundle bundle{cue.patch, document_.performance(), {}, {}, {}, {}};
    bundle.patch.name = cue.name;
    for (const auto& each : cue.excerpts) bundle.references.push_back(each->audio);
    if (!sheet_.sheet() || sheet_.state() != SheetController::State::made) return bundle;
    bundle.page = sheet_.page();
    bundle.sheetPatch = sheet_.sheet()->recipe.patch;
    return bundle;
}

void SheetPage::addPdf(Bundle& bundle) {
    const QTemporaryDir folder;
    const std::filesystem::path pdf = std::filesystem::path(folder.path().toStdString()) / "sheet.pdf";
    try {
        writePdf(pdf, bundle.page, patchToJson(bundle.sheetPatch));
        bundle.files.emplace_back("sheet.pdf", readWholeFile(pdf));
    } catch (const std::exception& failure) {
        messages_.report(failure); // all else can be written
    }
}

void SheetPage::print() {
    QPrinter printer(QPrinter::HighResolution);
    QPrintDialog dialog(&printer, this);
    dialog.setWindowTitle(tr("Print the sheet"));
    if (dialog.exec() != QDialog::Accepted) return;
    constexpr double sharpness = 3.0;
    QTextDocument document;
    fillDocument(document, sheet_.page(), interfaceFont(9.5), {}, sharpness);
    document.print(&printer);
}

} // namespace facet

#include "moc_sheet_page.cpp"
