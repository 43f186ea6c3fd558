"""The help in a window of its own, which stays beside the work: pages on the left, what they say on the right."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from PySide6.QtCore import QSize, Qt, QTimer, QUrl
from PySide6.QtGui import (
    QDesktopServices,
    QImage,
    QImageReader,
    QKeySequence,
    QResizeEvent,
    QShortcut,
    QTextBlock,
    QTextCursor,
    QTextDocument,
)
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

from dunefall.app.controls.theme import sans
from dunefall.app.shell.helppages import HelpPage
from dunefall.base.language import tr

__all__ = ["HelpWindow"]

LIST_W, EDGE, BAR_W, GAP, HEADING_TOP = 300, 24, 16, 10, 18
REST_MS = 150
_ID = Qt.ItemDataRole.UserRole


class _Browser(QTextBrowser):
    """Shows a page; pictures are as wide as there is room, and addresses on the network open in the browser."""

    def __init__(self) -> None:
        super().__init__()
        self._page: HelpPage | None = None
        self._wide = 0
        self._pictures, self._room = dict[str, QImage](), (0, 0.0)
        self._resized = QTimer(self)
        self._resized.setSingleShot(True)
        self._resized.timeout.connect(self._fit)
        self.setOpenLinks(False)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName(tr("Help"))
        self.document().setDocumentMargin(EDGE)
        self.document().setDefaultFont(sans(14))

    def loadResource(self, kind: int, url: QUrl | str) -> Any:
        """Pictures, scaled to the width."""
        if kind != QTextDocument.ResourceType.ImageResource.value:
            return super().loadResource(kind, url)
        if self._page is None or self._page.file is None:
            return None
        path = QUrl.fromLocalFile(str(self._page.file)).resolved(QUrl(url)).toLocalFile()
        room, ratio = self.width() - 2 * EDGE - BAR_W, self.devicePixelRatioF()
        if self._room != (room, ratio):
            self._pictures.clear()
            self._room = room, ratio
        if path not in self._pictures:
            self._pictures[path] = self._picture(path, room, ratio)
        return self._pictures[path]

    def _picture(self, path: str, room: int, ratio: float) -> QImage:
        reader = QImageReader(path)
        size = reader.size()
        if size.width() > room > 0:
            size = QSize(room, round(size.height() * room / size.width()))
        reader.setScaledSize(QSize(round(size.width() * ratio), round(size.height() * ratio)))
        picture: QImage = reader.read()
        picture.setDevicePixelRatio(ratio)
        return picture

    def show_page(self, page: HelpPage) -> None:
        """Show it from its beginning."""
        self._page, self._wide = page, self.width()
        self.setMarkdown(page.text())
        block, whole = self.document().begin(), QTextCursor(self.document())
        whole.beginEditBlock()  # laid out once, behind the last change
        while block.isValid():
            cursor, shape = QTextCursor(block), block.blockFormat()
            if cursor.currentTable() is None and shape.objectIndex() < 0:  # neither in a table nor in a list
                shape.setTopMargin(HEADING_TOP if shape.headingLevel() else 0)
                shape.setBottomMargin(GAP)
                cursor.setBlockFormat(shape)
            block = block.next()
        whole.endEditBlock()
        self.moveCursor(QTextCursor.MoveOperation.Start)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Pictures follow the width when it has come to rest."""
        super().resizeEvent(event)
        if self._page is not None and self.width() != self._wide:
            self._resized.start(REST_MS)

    def _fit(self) -> None:
        bar = self.verticalScrollBar()
        share = bar.value() / max(bar.maximum(), 1)
        if self._page is not None:
            self.show_page(self._page)
        QTimer.singleShot(0, lambda: bar.setValue(round(share * bar.maximum())))

    def show_place(self, heading: str, words: Sequence[str]) -> None:
        """Go to a heading, where there is such a one, and to the first of some words behind it."""
        block = self.document().begin()
        while (
            heading and block.isValid() and not (block.blockFormat().headingLevel() and block.text().strip() == heading)
        ):
            block = block.next()
        if not block.isValid():
            return
        cases = QTextDocument.FindFlag.FindCaseSensitively | QTextDocument.FindFlag.FindWholeWords
        places = [self.document().find(word, block.position(), cases) for word in words]
        found = [place for place in places if not place.isNull()]
        if found:
            self.setTextCursor(found[0])
        if heading or found:
            first = block if heading else found[0].block()
            QTimer.singleShot(0, lambda: self._scroll(first))  # when it is laid out

    def _scroll(self, block: QTextBlock) -> None:
        """Let what begins here stand at the top; what is chosen must be seen in any case."""
        top = self.document().documentLayout().blockBoundingRect(block).top()
        self.verticalScrollBar().setValue(round(top) - HEADING_TOP // 2)
        self.ensureCursorVisible()


class HelpWindow(QDialog):
    """The help.

    Parameters
    ----------
    pages : sequence of HelpPage
        What there is.
    parent : QWidget
        The window that it belongs to.
    """

    def __init__(self, pages: Sequence[HelpPage], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Dunefall help"))
        self.resize(1000, 700)
        self._pages, self._before = {page.id: page for page in pages}, list[str]()
        self._texts = dict[str, str]()
        self.browser, self.list, self.wanted = _Browser(), QListWidget(), QLineEdit()
        self.back = QPushButton(tr("Back"))
        self.list.setFixedWidth(LIST_W)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setAccessibleName(tr("Pages"))
        self.wanted.setPlaceholderText(tr("Find in the help"))
        self.wanted.setAccessibleName(tr("Find in the help"))
        self.wanted.setClearButtonEnabled(True)
        left, right, both = QVBoxLayout(), QVBoxLayout(), QHBoxLayout(self)
        left.addWidget(self.wanted)
        left.addWidget(self.list, 1)
        left.addWidget(self.back)
        right.addWidget(self.browser)
        both.addLayout(left)
        both.addLayout(right, 1)
        self.back.setAutoDefault(False)
        self.back.setEnabled(False)
        self.back.clicked.connect(self.go_back)
        self.list.currentItemChanged.connect(self._chosen)
        self.wanted.textChanged.connect(self._search)
        self.wanted.returnPressed.connect(self._next_place)
        self.browser.anchorClicked.connect(self._follow)
        QShortcut(QKeySequence.StandardKey.Find, self, self.wanted.setFocus)
        QShortcut(QKeySequence.StandardKey.Back, self, self.go_back)
        self._shown = ""
        self._search("")
        self.browser.setFocus()

    def show_page(self, page_id: str, heading: str = "", words: Sequence[str] = ()) -> None:
        """Show a page, from a heading on, where it has such a one.

        Parameters
        ----------
        page_id : str
            Which page.
        heading : str
            A heading of it.
        words : sequence of str
            What to look for behind it; the first that is found is shown.
        """
        if self._shown and self._shown != page_id:
            self._before.append(self._shown)
        self._open(page_id)
        self.browser.show_place(heading, words)

    def go_back(self) -> None:
        """The page before."""
        if self._before:
            self._open(self._before.pop())

    def _open(self, page_id: str) -> None:
        if self._row(page_id) is None:
            self.wanted.clear()
        self._shown = page_id
        self.browser.show_page(self._pages[page_id])
        self.back.setEnabled(bool(self._before))
        self.list.blockSignals(True)
        self._mark()
        self.list.blockSignals(False)
        if words := self.wanted.text().strip():
            self.browser.find(words)

    def _row(self, page_id: str) -> QListWidgetItem | None:
        rows = (self.list.item(k) for k in range(self.list.count()))
        return next((row for row in rows if row.data(_ID) == page_id), None)

    def _chosen(self, item: QListWidgetItem | None) -> None:
        if item is not None and item.data(_ID):
            self.show_page(item.data(_ID))

    def _search(self, words: str) -> None:
        """List the pages that hold what is typed; they are read when something is, for the first time."""
        words = words.strip().lower()
        if words and not self._texts:
            self._texts = {page.id: page.text().lower() for page in self._pages.values()}
        self.list.blockSignals(True)
        self.list.clear()
        part = ""
        for page in self._pages.values():
            if words and words not in self._texts[page.id]:
                continue
            if page.part != part:
                part = page.part
                title = QListWidgetItem(part)
                title.setFlags(Qt.ItemFlag.NoItemFlags)
                title.setFont(sans(11, 600))
                self.list.addItem(title)
            row = QListWidgetItem(page.title)
            row.setData(_ID, page.id)
            row.setToolTip(page.title)
            self.list.addItem(row)
        self._mark()
        self.list.blockSignals(False)

    def _mark(self) -> None:
        """Choose the row of the page that is shown, if it is listed."""
        row = self._row(self._shown)
        self.list.setCurrentRow(self.list.row(row) if row is not None else -1)

    def _next_place(self) -> None:
        """The next place in this page; behind the last one, the first in the next page that holds the words."""
        words = self.wanted.text().strip()
        if not words or self.browser.find(words):
            return
        held = [str(item.data(_ID)) for k in range(self.list.count()) if (item := self.list.item(k)).data(_ID)]
        if held:
            later = held.index(self._shown) + 1 if self._shown in held else 0
            self.show_page(held[later % len(held)])

    def _follow(self, url: QUrl) -> None:
        """A link: to another page, or out of the program."""
        if not url.isRelative() and not url.isLocalFile():
            QDesktopServices.openUrl(url)
            return
        base = self._pages[self._shown].file
        target = (base.parent / url.path()).resolve() if base and url.isRelative() else Path(url.toLocalFile())
        for page in self._pages.values():
            if page.file is not None and page.file.resolve() == target:
                self.show_page(page.id)
                return
        QDesktopServices.openUrl(QUrl.fromLocalFile(str(target)))
