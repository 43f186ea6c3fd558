"""What a newcomer should know of Build, as the way to a first sound of one's own."""

from __future__ import annotations

from PySide6.QtCore import QRect

from dunefall.app.model.context import Context
from dunefall.app.model.workspace import Hint, Page
from dunefall.app.workspaces.build.page import BuildPage
from dunefall.base.language import tr

__all__ = ["first_hints"]


def first_hints(context: Context, page: Page) -> tuple[Hint, ...]:
    """Look at a layer, make one, and let something move it."""
    assert isinstance(page, BuildPage)
    canvas, view, patch = page.canvas, page.canvas.viewport(), context.session.patch

    def first_lane() -> QRect:
        layer = patch.layers[-1] if len(patch.layers) < 3 else patch.layers[1]
        return canvas.head_rect(layer.id)

    def first_card() -> QRect:
        cards = (canvas.card_rect(module.id) for module in patch.modules())
        seen = (card for card in cards if not card.isEmpty() and view.rect().contains(card))
        return next(seen, QRect(0, 0, 10, 10))

    return (
        Hint(tr("Every row is a layer of the soundscape: its sound runs from left to right. To make one of your own, "
             "click “Add layer” below the rows (Ctrl+Shift+L), type what you want to hear (“noise”, “bell”), Enter."),
             view, first_lane),
        Hint(tr("Every card is a module; click one and its links appear. A adds another one after it: type "
                "“low-pass” or "
             "“echo”. What you add links itself."), view, first_card),
        Hint(tr("Here are the values of what is selected: click one and type. “+” beside a value asks what "
                "shall move it: "
             "type “slow wave”, Enter, and your sound moves by itself."), page.inspector, page.inspector.rect),
    )  # fmt: skip
