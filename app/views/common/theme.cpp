#include "app/views/common/theme.h"

#include "app/print/interface_font.h"

#include <QApplication>
#include <QFontDatabase>
#include <QPalette>
#include <QStyleFactory>

namespace facet {

namespace {

Theme lightTheme() {
    return {false,
            QColor("#f6f4ee"),
            QColor("#fefdfa"),
            QColor("#ece4d3"),
            QColor("#ddd8cb"),
            QColor("#1d2b36"),
            QColor("#5a666e"),
            QColor("#12707a"),
            QColor("#c24f24"),
            QColor("#4c565e"),
            QColor("#2f7d3d"),
            QColor("#9a5b00")};
}

Theme darkTheme() {
    return {true,
            QColor("#191e22"),
            QColor("#21272c"),
            QColor("#38352c"),
            QColor("#3a4249"),
            QColor("#e9e6dd"),
            QColor("#a3adb3"),
            QColor("#4fb6bf"),
            QColor("#ee8a5b"),
            QColor("#8b969e"),
            QColor("#6fc47e"),
            QColor("#e0b060")};
}

Theme current = lightTheme();

QString styleSheet(const Theme& t) {
    QString sheet = R"(
        QWidget { color: @ink; }
        QMainWindow, QDialog, QMessageBox, QScrollArea, QStackedWidget { background: @paper; }
        QScrollArea { border: none; }
        QScrollArea > QWidget > QWidget { background: @paper; }
        QToolTip { background: @card; color: @ink; border: 1px solid @line; padding: 4px; }
        QMenuBar { background: @paper; } QMenuBar::item { padding: 4px 8px; background: transparent; }
        QMenuBar::item:selected, QMenu::item:selected { background: @selected; color: @ink; }
        QMenu { background: @card; border: 1px solid @line; } QMenu::item { padding: 5px 24px 5px 14px; }
        QMenu::item:disabled { color: @quiet; } QMenu::separator { height: 1px; background: @line; margin: 4px 0; }
        QPushButton, QToolButton { background: @card; border: 1px solid @line; border-radius: 5px; padding: 4px 10px; }
        QPushButton:hover, QToolButton:hover { border-color: @quiet; }
        QPushButton:focus, QToolButton:focus, QLineEdit:focus, QComboBox:focus, QAbstractSpinBox:focus { border: 1px solid @reference; }
        QPushButton:checked, QToolButton:checked { background: @ink; color: @card; border-color: @ink; }
        QPushButton:disabled, QToolButton:disabled { color: @quiet; }
        QPushButton#primary { background: @ink; color: @card; border-color: @ink; }
        QPushButton#primary:disabled { background: @line; color: @quiet; border-color: @line; }
        QToolButton#flat, QPushButton#flat { background: transparent; border: 1px solid transparent; padding: 1px 2px; }
        QToolButton#flat:focus { border-color: @reference; }
        QPushButton#side { border-radius: 13px; padding: 4px 14px; }
        QPushButton#tab { background: transparent; border: none; border-bottom: 2px solid transparent; border-radius: 0; padding: 6px 2px; margin: 0 5px; color: @quiet; }
        QPushButton#tab:checked { color: @ink; border-bottom: 2px solid @ink; }
        QPushButton#tab:focus { border-bottom: 2px solid @reference; }
        QLineEdit, QComboBox, QAbstractSpinBox { background: @card; border: 1px solid @line; border-radius: 4px; padding: 2px 6px; selection-background-color: @reference; selection-color: @card; }
        QLineEdit#value { background: transparent; border: 1px solid transparent; padding: 1px 3px; }
        QLineEdit#value:hover { border-color: @line; } QLineEdit#value:focus { background: @card; border-color: @reference; }
        QLineEdit#value[unheard="true"] { color: @quiet; }
        QLineEdit#value[wrong="true"] { border-color: @render; }
        QComboBox::drop-down { border: none; width: 18px; } QComboBox::down-arrow { image: url(:/signs/down-@name.png); width: 14px; height: 14px; }
        QAbstractSpinBox::up-button, QAbstractSpinBox::down-button { subcontrol-origin: border; width: 18px; border: none; background: transparent; }
        QAbstractSpinBox::up-button { subcontrol-position: top right; } QAbstractSpinBox::down-button { subcontrol-position: bottom right; }
        QAbstractSpinBox::up-arrow { image: url(:/signs/up-@name.png); width: 12px; height: 12px; } QAbstractSpinBox::down-arrow { image: url(:/signs/down-@name.png); width: 12px; height: 12px; }
        QToolButton::menu-indicator { image: none; }
        QFrame#bar QScrollArea, QFrame#bar QScrollArea > QWidget > QWidget { background: @card; }
        QComboBox QAbstractItemView { background: @card; border: 1px solid @line; selection-background-color: @selected; selection-color: @ink; }
        QTableView { background: transparent; border: none; gridline-color: transparent; selection-background-color: @selected; selection-color: @ink; }
        QTableView::indicator { width: 11px; height: 11px; border: 1.5px solid @quiet; border-radius: 3px; background: @card; } QTableView::indicator:checked { background: @ink; border-color: @ink; }
        QTreeView { background: @card; border: 1px solid @line; border-radius: 5px; selection-background-color: @selected; selection-color: @ink; }
        QTabWidget::pane { border: none; border-top: 1px solid @line; } QTabBar { qproperty-drawBase: 0; }
        QTabBar::tab { background: transparent; border: none; border-bottom: 2px solid transparent; padding: 5px 2px; margin: 0 16px 0 0; color: @quiet; }
        QTabBar::tab:selected { color: @ink; border-bottom-color: @ink; } QTabBar::tab:focus { border-bottom-color: @reference; }
        QHeaderView::section { background: transparent; border: none; border-bottom: 1px solid @line; padding: 3px 6px; color: @quiet; }
        QListView { background: @card; border: 1px solid @line; border-radius: 5px; } QListView::item { padding: 4px; } QListView::item:selected { background: @selected; color: @ink; }
        QProgressBar { background: @line; border: none; border-radius: 3px; height: 6px; } QProgressBar::chunk { background: @good; border-radius: 3px; }
        QStatusBar { background: @paper; color: @quiet; } QStatusBar::item { border: none; }
        QFrame#module { background: @card; border: 1px solid @line; border-radius: 5px; }
        QFrame#module[open="true"] { border-color: @ink; }
        QFrame#module[focused="true"] { border-color: @reference; }
        QFrame#module QLabel:disabled { color: @quiet; }
        QLabel#pill { background: @selected; border-radius: 8px; padding: 1px 9px; }
        QLabel#pill[plain="true"] { background: transparent; color: @quiet; padding: 0; }
        QToolButton#dot { background: transparent; border: 1.5px solid @quiet; border-radius: 7px; padding: 0; }
        QToolButton#dot:checked { background: @ink; border-color: @ink; }
        QToolButton#dot:focus { border-color: @reference; }
        QToolButton#addMover, QToolButton#addTarget, QToolButton#takeShape { background: transparent; border: 1px solid transparent; color: @quiet; padding: 1px 2px; }
        QToolButton#addMover:hover, QToolButton#addMover:focus, QToolButton#addTarget:hover, QToolButton#addTarget:focus, QToolButton#takeShape:hover, QToolButton#takeShape:focus { border-color: @line; }
        QRadioButton { spacing: 7px; padding: 2px 0; } QRadioButton::indicator { width: 11px; height: 11px; border: 1.5px solid @quiet; border-radius: 7px; background: @card; } QRadioButton::indicator:checked { background: @ink; border-color: @ink; } QRadioButton::indicator:disabled { border-color: @line; } QRadioButton:focus { color: @reference; } QRadioButton:disabled { color: @quiet; }
        QLabel#heading { font-weight: 600; } QLabel#quiet { color: @quiet; } QLabel#warning { color: @warning; }
        QFrame#rule { background: @line; border: none; } QFrame#bar { background: @card; border-top: 1px solid @line; }
        QCheckBox { spacing: 6px; } QDialogButtonBox { dialogbuttonbox-buttons-have-icons: 0; }
        QScrollBar:vertical { background: transparent; width: 10px; } QScrollBar::handle:vertical { background: @line; border-radius: 5px; min-height: 24px; }
        QScrollBar:horizontal { background: transparent; height: 10px; } QScrollBar::handle:horizontal { background: @line; border-radius: 5px; min-width: 24px; }
        QScrollBar::add-line, QScrollBar::sub-line { width: 0; height: 0; }
    )";
    const std::pair<const char*, QColor> names[] = {
        {"@paper", t.paper}, {"@card", t.card},      {"@selected", t.selected},   {"@line", t.line},
        {"@ink", t.ink},     {"@quiet", t.quiet},    {"@reference", t.reference}, {"@render", t.render},
        {"@good", t.good},   {"@warning", t.warning}};
    sheet.replace("@name", t.dark ? "dark" : "light");
    for (const auto& [name, color] : names) sheet.replace(name, color.name());
    return sheet;
}

} // namespace

const Theme& theme() { return current; }

QFont interfaceFont(double points, QFont::Weight weight) {
    QFont font(interfaceFamily());
    font.setPointSizeF(points);
    font.setWeight(weight);
    return font;
}

void applyTheme(QApplication& app, bool dark) {
    current = dark ? darkTheme() : lightTheme();
    QApplication::setStyle(QStyleFactory::create("Fusion"));
    QPalette palette;
    palette.setColor(QPalette::Window, current.paper);
    palette.setColor(QPalette::Base, current.card);
    palette.setColor(QPalette::AlternateBase, current.paper);
    palette.setColor(QPalette::Button, current.card);
    palette.setColor(QPalette::Text, current.ink);
    palette.setColor(QPalette::WindowText, current.ink);
    palette.setColor(QPalette::ButtonText, current.ink);
    palette.setColor(QPalette::Highlight, current.reference);
    palette.setColor(QPalette::HighlightedText, current.card);
    palette.setColor(QPalette::PlaceholderText, current.quiet);
    palette.setColor(QPalette::ToolTipBase, current.card);
    palette.setColor(QPalette::ToolTipText, current.ink);
    QApplication::setPalette(palette);
    QApplication::setFont(interfaceFont());
    app.setStyleSheet(styleSheet(current));
}

} // namespace facet
