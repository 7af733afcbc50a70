"""Fonts, palette and style sheet of a theme, applied to the whole application."""

from __future__ import annotations

from importlib.resources import files

from PySide6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PySide6.QtWidgets import QApplication, QWidget

from archimetra.app.theme.tokens import Tokens

FAMILY = "IBM Plex Sans"
BODY_PX, NOTE_PX, TITLE_PX, READING_PX = 13, 11, 15, 20


def load_fonts() -> None:
    """Register the shipped fonts; without them the system's own sans serves."""
    for name in ("IBMPlexSans-Regular.ttf", "IBMPlexSans-Medium.ttf", "IBMPlexSans-SemiBold.ttf"):
        data = files("archimetra.app.theme").joinpath("fonts", name)
        QFontDatabase.addApplicationFont(str(data))


def font(px: int = BODY_PX, *, weight: QFont.Weight = QFont.Weight.Normal) -> QFont:
    out = QFont(FAMILY)
    out.setPixelSize(scaled(px))
    out.setWeight(weight)
    return out


def scaled(px: float) -> int:
    """A size that grows with the system's text size (96 dots an inch is 1)."""
    return round(px * min(max(text_scale(), 0.8), 2.5))


def text_scale() -> float:
    """How many times larger than usual the system wants its text."""
    screen = QApplication.primaryScreen()
    return screen.logicalDotsPerInch() / 96 if screen else 1.0


def apply_sheet(window: QWidget, tokens: Tokens) -> None:
    """Give a window and all in it the style sheet of this theme.

    Not the application: Qt then styles every widget once for each widget around it, here some eleven times over; from the window
    down it does so twice. No rule hands the font down; the window's own does, since styling a widget loses a font that comes from the
    application alone. Plain colours are the palette's.
    """
    window.setFont(font())
    window.setStyleSheet(style_sheet(tokens))


def apply_font_and_palette(tokens: Tokens) -> None:
    """Give the whole application the font and colours of this theme."""
    app = _application()
    app.setFont(font())
    palette = QPalette()
    roles = {
        QPalette.ColorRole.Window: tokens.page,
        QPalette.ColorRole.WindowText: tokens.ink,
        QPalette.ColorRole.Base: tokens.field,
        QPalette.ColorRole.AlternateBase: tokens.panel,
        QPalette.ColorRole.Text: tokens.ink,
        QPalette.ColorRole.Button: tokens.panel,
        QPalette.ColorRole.ButtonText: tokens.ink,
        QPalette.ColorRole.ToolTipBase: tokens.panel,
        QPalette.ColorRole.ToolTipText: tokens.ink,
        QPalette.ColorRole.Highlight: tokens.accent,
        QPalette.ColorRole.HighlightedText: tokens.panel,
        QPalette.ColorRole.PlaceholderText: tokens.quiet,
        QPalette.ColorRole.Link: tokens.accent,
    }
    for role, value in roles.items():
        palette.setColor(role, QColor(value))
    for role in (QPalette.ColorRole.WindowText, QPalette.ColorRole.Text, QPalette.ColorRole.ButtonText):
        palette.setColor(QPalette.ColorGroup.Disabled, role, QColor(tokens.quiet))
    app.setPalette(palette)


def _application() -> QApplication:
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    return app


def style_sheet(t: Tokens) -> str:
    """One sheet for all widgets; kinds are told apart by the dynamic property ``kind``."""
    s = scaled
    name = "check-dark.svg" if t.is_dark else "check-light.svg"
    check = str(files("archimetra.app.theme").joinpath("icons", name)).replace("\\", "/")
    return f"""
    QToolTip {{ background: {t.panel}; color: {t.ink}; border: 1px solid {t.hairline}; padding: 4px 6px; }}
    QMainWindow, QDialog {{ background: {t.page}; }}
    #header {{ background: {t.panel}; border-bottom: 1px solid {t.hairline}; }}
    #rail {{ background: {t.panel}; border-right: 1px solid {t.hairline}; }}
    #page {{ background: {t.page}; border-right: 1px solid {t.hairline}; }}
    #status {{ background: {t.panel}; border-top: 1px solid {t.hairline}; }}
    #status QLabel, #status QPushButton {{ font-size: {s(NOTE_PX)}px; }}
    QScrollArea, #pageBody {{ background: {t.page}; border: none; }}
    #tabs, #tabsInside {{ background: {t.panel}; }}
    QLabel[kind="title"] {{ font-size: {s(TITLE_PX)}px; font-weight: 600; }}
    QLabel[kind="heading"] {{ font-weight: 600; }}
    QLabel[kind="note"] {{ font-size: {s(NOTE_PX)}px; color: {t.quiet}; }}
    QLabel[kind="reading"] {{ font-size: {s(READING_PX)}px; font-weight: 600; }}
    QFrame[kind="stopzone"] {{ background: {t.panel}; border: none; border-top: 1px solid {t.hairline}; }}
    QFrame[kind="pad"] {{ background: {t.panel}; border: 1px solid {t.hairline}; border-radius: 4px; }}
    QFrame[kind="pad"]:focus {{ border: 2px solid {t.accent}; }}
    QProgressBar {{ background: {t.hairline}; border: none; border-radius: 2px; min-height: 6px; max-height: 6px; }}
    QProgressBar::chunk {{ background: {t.accent}; border-radius: 2px; }}
    QLabel[kind="key"] {{ color: {t.accent}; font-weight: 600; }}
    QLabel[kind="quiet"] {{ color: {t.quiet}; }}
    QLabel[kind="caution"] {{ font-size: {s(NOTE_PX)}px; color: {t.caution}; }}
    QLabel[kind="stop"] {{ font-size: {s(NOTE_PX)}px; color: {t.picked}; }}
    QFrame[kind="line"] {{ background: {t.hairline}; border: none; max-height: 1px; min-height: 1px; }}
    #showControl {{ background: {t.panel}; border: 1px solid {t.hairline}; border-radius: 4px; }}
    QToolButton::menu-indicator {{ width: 0; image: none; }}
    QFrame[kind="card"] {{ background: {t.panel}; border: 1px solid {t.hairline}; border-radius: 4px; }}
    QLineEdit, QComboBox, QPlainTextEdit {{
        background: {t.field}; border: 1px solid {t.hairline}; border-radius: 4px; padding: 0 6px;
        selection-background-color: {t.accent}; selection-color: {t.panel};
    }}
    QLineEdit, QComboBox {{ min-height: {s(24)}px; max-height: {s(24)}px; }}
    QLineEdit:focus, QComboBox:focus, QPlainTextEdit:focus {{ border: 2px solid {t.accent}; padding: 0 5px; }}
    QLineEdit[wrong="true"] {{ border: 2px solid {t.picked}; padding: 0 5px; }}
    QLineEdit:disabled, QComboBox:disabled {{ color: {t.quiet}; background: {t.page}; }}
    QComboBox::drop-down {{ border: none; width: 18px; }}
    QComboBox::down-arrow {{ width: 0; height: 0; border-left: 4px solid {t.field}; border-right: 4px solid {t.field};
        border-top: 5px solid {t.quiet}; margin-right: 6px; }}
    QComboBox QAbstractItemView, QMenu {{ background: {t.panel}; border: 1px solid {t.hairline}; padding: 4px;
        selection-background-color: {t.wash}; selection-color: {t.ink}; outline: none; }}
    QMenu::item {{ padding: 5px 22px 5px 12px; border-radius: 3px; }}
    QMenu::item:selected {{ background: {t.wash}; color: {t.ink}; }}
    QMenu::item:disabled {{ color: {t.quiet}; }}
    QMenu::separator {{ height: 1px; background: {t.hairline}; margin: 4px 8px; }}
    QPushButton {{ background: {t.panel}; border: 1px solid {t.hairline}; border-radius: 4px; padding: 0 12px;
        min-height: {s(26)}px; }}
    QPushButton:hover {{ background: {t.wash}; }}
    QPushButton:pressed {{ background: {t.hairline}; }}
    QPushButton:focus, QToolButton:focus {{ border: 2px solid {t.accent}; }}
    QPushButton:disabled {{ color: {t.quiet}; }}
    QPushButton[kind="main"] {{ background: {t.accent}; border-color: {t.accent}; font-weight: 600;
        color: {"#10201D" if t.is_dark else "#FFFFFF"}; }}
    QPushButton[kind="main"]:focus {{ border: 2px solid {t.ink}; }}
    QPushButton[kind="main"]:disabled {{ background: {t.hairline}; border-color: {t.hairline}; color: {t.quiet}; }}
    QPushButton[kind="halt"] {{ background: {t.stop}; border: 1px solid {t.stop}; color: #FFFFFF; font-weight: 600; }}
    QPushButton[kind="halt"]:hover {{ background: {t.stop}; }}
    QPushButton[kind="halt"]:focus {{ border: 3px solid {t.ink}; }}
    QPushButton[kind="halt"]:disabled {{ background: {t.hairline}; border-color: {t.hairline}; color: {t.quiet}; }}
    QPushButton[kind="add"] {{ color: {t.accent}; font-weight: 600; }}
    QPushButton[kind="offer"] {{ text-align: left; padding: 0 8px; }}
    QPushButton[kind="link"] {{ border: 1px solid transparent; background: transparent; color: {t.accent}; padding: 0 4px;
        min-height: {s(20)}px; }}
    QPushButton[kind="link"]:hover {{ background: {t.wash}; }}
    QPushButton[kind="link"]:focus {{ border: 1px solid {t.accent}; }}
    QPushButton[kind="link"]:disabled {{ color: {t.quiet}; }}
    QToolButton {{ border: 1px solid transparent; border-radius: 4px; padding: 3px; background: transparent; }}
    QToolButton:hover {{ background: {t.wash}; }}
    QToolButton[kind="station"] {{ border: none; border-left: 3px solid transparent; border-radius: 0;
        font-size: {s(NOTE_PX)}px; color: {t.quiet}; padding: 4px 0 4px 0; }}
    QToolButton[kind="station"]:hover {{ background: {t.wash}; }}
    QToolButton[kind="station"]:checked {{ border-left: 3px solid {t.accent}; background: {t.page}; color: {t.ink};
        font-weight: 600; }}
    QToolButton[kind="station"]:focus {{ background: {t.wash}; color: {t.ink}; }}
    QToolButton[kind="tab"] {{ border: none; border-top: 3px solid transparent; border-radius: 0; padding: 0 10px; }}
    QToolButton[kind="tab"]:checked {{ border-top: 3px solid {t.accent}; background: {t.page}; font-weight: 600; }}
    QToolButton[kind="tab"][face] {{ border-bottom: 2px solid {t.hairline}; }}
    QToolButton[kind="tab"][face]:checked {{ border-bottom: 2px solid {t.accent}; }}
    QToolButton[kind="tab"]:focus {{ background: {t.wash}; }}
    QToolButton[kind="part"] {{ border: 1px solid {t.hairline}; border-radius: 0; padding: 2px 3px; background: {t.panel};
        color: {t.quiet}; margin: 0; }}
    QToolButton[kind="part"]:checked {{ background: {t.wash}; color: {t.ink}; font-weight: 600;
        border: 1px solid {t.accent}; }}
    QToolButton[kind="part"]:focus {{ border: 2px solid {t.accent}; }}
    QToolButton[kind="fold"] {{ font-weight: 600; padding: 2px 4px 2px 0; border: 1px solid transparent; }}
    QToolButton[kind="fold"]:focus {{ border: 1px solid {t.accent}; }}
    QToolButton[kind="trade"] {{ padding: 3px 2px; color: {t.quiet}; text-align: left; }}
    QToolButton[kind="trade"]:checked {{ background: {t.panel}; color: {t.ink}; font-weight: 600;
        border: 1px solid {t.hairline}; border-bottom: 2px solid {t.accent}; }}
    QToolButton[kind="trade"]:focus {{ background: {t.wash}; border: 1px solid {t.accent}; }}
    QSlider::groove:horizontal {{ height: 3px; background: {t.hairline}; border-radius: 1px; }}
    QSlider::handle:horizontal {{ background: {t.accent}; width: 12px; height: 12px; margin: -5px 0; border-radius: 6px; }}
    QSlider:focus {{ border: 1px solid {t.accent}; border-radius: 4px; }}
    QToolButton[kind="small"] {{ font-size: {s(NOTE_PX)}px; color: {t.quiet}; padding: 1px 5px; }}
    QToolButton[kind="small"]:checked {{ color: {t.ink}; font-weight: 600; background: {t.wash}; }}
    QToolButton[kind="small"]:focus {{ border: 1px solid {t.accent}; }}
    QListWidget {{ background: transparent; border: 1px solid transparent; border-radius: 4px; outline: none; }}
    QListWidget[kind="shelf"] {{ background: {t.field}; border: 1px solid {t.hairline}; }}
    QListWidget:focus {{ border: 1px solid {t.accent}; }}
    QListWidget::item {{ border: 1px solid transparent; border-radius: 4px; }}
    QListWidget::item:hover {{ background: {t.wash}; }}
    QListWidget::item:selected {{ border: 1px solid {t.accent}; background: {t.panel}; color: {t.ink}; }}
    QCheckBox {{ spacing: 8px; }}
    QCheckBox::indicator {{ width: {s(14)}px; height: {s(14)}px; border: 1px solid {t.quiet}; border-radius: 3px;
        background: {t.field}; }}
    QCheckBox::indicator:checked {{ background: {t.accent}; border-color: {t.accent}; image: url("{check}"); }}
    QCheckBox:focus {{ color: {t.accent}; }}
    QSplitter::handle {{ background: {t.hairline}; }}
    QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {t.hairline}; border-radius: 4px; min-height: 30px; margin: 1px 2px; }}
    QScrollBar:horizontal {{ background: transparent; height: 10px; margin: 0; }}
    QScrollBar::handle:horizontal {{ background: {t.hairline}; border-radius: 4px; min-width: 30px; margin: 2px 1px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
    QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
    """
