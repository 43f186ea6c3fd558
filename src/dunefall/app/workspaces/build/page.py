"""The Build workspace's page: lanes, inspector and Watch over one context."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QPoint
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QApplication, QHBoxLayout, QMenu, QVBoxLayout, QWidget

from dunefall.app.controls.drawer import Drawer
from dunefall.app.controls.grip import Grip
from dunefall.app.controls.menus import show_menu
from dunefall.app.controls.rail import Rail
from dunefall.app.controls.theme import Theme
from dunefall.app.editing import links, modules
from dunefall.app.inspector.inspector import Inspector
from dunefall.app.listening import hearing, transport
from dunefall.app.model.context import Context
from dunefall.app.watch.watch import Watch
from dunefall.app.workspaces.build.canvas import BuildCanvas
from dunefall.base.language import tr
from dunefall.base.units import note_name
from dunefall.catalogue.compounds import spec_for
from dunefall.catalogue.declare import Param
from dunefall.engine import messages as say
from dunefall.engine.shared import Status
from dunefall.patch.model import Place
from dunefall.session.edits.controls import turn_control
from dunefall.session.edits.layers import toggle_fold
from dunefall.session.edits.links import change_link, scale_reach
from dunefall.session.edits.modules import set_series, toggle_lock
from dunefall.session.quietwatch import QuietWatch
from dunefall.survey.places import step_of_note

__all__ = ["BuildPage"]

WATCH_H, INSPECTOR_W = (130, 170, 420), (300, 334, 560)
"""Least, usual and largest height of Watch and width of the inspector, in px."""
HALF_STEP = 0.5
"""In semitones: what sounds may be detuned, or slide."""
WATCH_FROM_H = 588
"""A page that is lower has no room for Watch."""


class BuildPage(QWidget):
    """All of the Build workspace."""

    def __init__(self, context: Context) -> None:
        super().__init__()
        session, theme = context.session, context.theme
        self._context, self._quiet_watch = context, QuietWatch()
        self.canvas = BuildCanvas(context.selection, session.engine, theme)
        self.inspector = Inspector(session.document, theme, session.engine)
        self.watch = Watch(theme, session.engine, session.options.rate)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        left = QVBoxLayout()
        left.setSpacing(0)
        left.addWidget(self.canvas, 1)
        self.grips = {
            "watch_h": Grip(tr("Watch"), upright=False, size=WATCH_H, theme=theme),
            "inspector_w": Grip(tr("the inspector"), upright=True, size=INSPECTOR_W, theme=theme),
        }
        left.addWidget(self.grips["watch_h"])
        left.addWidget(self.watch)
        row.addLayout(left, 1)
        row.addWidget(self.grips["inspector_w"])
        self.drawer = Drawer(self, row, self.inspector, self.canvas)
        self.drawer.covered.connect(self.canvas.set_covered)
        self.grips["watch_h"].resized.connect(self.watch.setFixedHeight)
        self.grips["inspector_w"].resized.connect(self._size_inspector)
        for name, grip in self.grips.items():
            grip.resize_to(getattr(context.settings.values, name))
            grip.settled.connect(lambda size, name=name: context.settings.change(**{name: size}))
        context.selection.focused_port = lambda: self.inspector.focused_port
        self.inspector.marked = lambda: context.selection.marked
        context.selection.focused_link = lambda: self.inspector.focused_link
        context.selection.added.connect(self._offer_value)
        context.selection.port_asked.connect(self._show_port)
        context.selection.step_asked.connect(self._show_step)
        self.inspector.unfolded |= set(context.settings.values.unfolded)
        self._connect_canvas()
        self._connect_inspector()

    def _connect_canvas(self) -> None:
        context, canvas = self._context, self.canvas
        canvas.entered.connect(self.inspector.focus_first)
        canvas.fold_asked.connect(partial(toggle_fold, context.session.document))
        canvas.add_asked.connect(partial(modules.show_palette, context))
        canvas.layer_asked.connect(partial(modules.add_layer, context))
        canvas.button_pressed.connect(partial(hearing.turn_button, context))
        canvas.compound_pressed.connect(context.selection.press_compound)
        canvas.link_drawn.connect(self.take_drawn_link)
        self.watch.unpin_asked.connect(partial(modules.unpin, context))
        self.watch.step_asked.connect(self._find_step)

    def _connect_inspector(self) -> None:
        context, inspector, document = self._context, self.inspector, self._context.session.document
        place_of, selection = context.selection.place_of, context.selection
        inspector.wishes.fold_asked.connect(self._keep_folds)
        inspector.wishes.left.connect(self.canvas.setFocus)
        inspector.wishes.drawn.connect(lambda series: set_series(document, selection.module, series))
        inspector.wishes.refused.connect(context.tell)
        inspector.wishes.compound_pressed.connect(selection.press_compound)
        inspector.wishes.tuning_asked.connect(partial(modules.choose_tuning, context))
        inspector.wishes.link_asked.connect(partial(links.ask_link, context))
        inspector.wishes.reach_scaled.connect(lambda port, factor: scale_reach(document, place_of(port), factor))
        inspector.wishes.lock_asked.connect(lambda port: toggle_lock(document, place_of(port)))
        inspector.wishes.learn_asked.connect(partial(links.learn_controller, context))
        inspector.wishes.movement_copied.connect(partial(links.copy_movement, context))
        inspector.wishes.movement_pasted.connect(partial(links.take_movement, context))
        inspector.wishes.link_changed.connect(lambda link: change_link(document, selection.real_link(link)))
        inspector.wishes.range_asked.connect(partial(links.ask_range, context))
        inspector.wishes.range_typed.connect(partial(links.take_range, context))
        inspector.wishes.link_soloed.connect(partial(hearing.hear_link_alone, context))
        inspector.wishes.link_removed.connect(partial(links.remove, context))
        inspector.wishes.renamed.connect(lambda _: modules.ask_name(context))
        inspector.wishes.bypass_asked.connect(lambda: modules.bypass(context))
        inspector.wishes.sound_asked.connect(lambda: modules.choose_sound(context))
        inspector.wishes.sound_removed.connect(lambda: modules.remove_sound(context))
        inspector.wishes.module_asked.connect(selection.select_shown)
        inspector.wishes.control_moved.connect(partial(turn_control, document))
        inspector.wishes.key_played.connect(partial(transport.play_key, context))

    def _offer_value(self) -> None:
        """A module was added: the next thing typed is its main value."""
        if self.isVisible():
            self.inspector.offer_main()

    def _show_port(self, port: str) -> None:
        self._context.shell.show_workspace("build")
        self.inspector.show_port(port)

    def _show_step(self, series: str, index: int) -> None:
        self._context.shell.show_workspace("build")
        self.inspector.show_step(series, index)

    def _find_step(self, place: Place, note: float) -> None:
        """From the note that a tuner shows to the step of a sequence that makes it."""
        step = step_of_note(self._context.session.patch, place.module, note, HALF_STEP)
        if step is None:
            self._context.tell(tr("No step of a sequence makes {note_name} here.", note_name=note_name(round(note))))
            return
        self._context.selection.select(step.module)
        self._show_step(step.series, step.number)

    def _keep_folds(self, _group: str) -> None:
        """Remember which groups of values are shown."""
        self._context.settings.change(unfolded=tuple(sorted(self.inspector.unfolded)))

    def _size_inspector(self, width: int) -> None:
        self.inspector.setFixedWidth(width)
        self.drawer.fit()

    # -- as a page ------------------------------------------------------------------------------------------------

    def show_patch(self) -> None:
        """Show the patch as it is seen now."""
        selection = self._context.selection
        self.canvas.show_patch()
        self.watch.show_pins(self._context.session.patch)
        self.inspector.show_module(selection.seen, selection.module if selection.seen.has(selection.module) else "")

    def show_selection(self) -> None:
        """Show what is selected now."""
        selection = self._context.selection
        self.canvas.show_selection()
        self.inspector.show_module(selection.seen, selection.module)
        self.drawer.need(bool(selection.module))

    def set_theme(self, theme: Theme) -> None:
        """Draw in this theme."""
        self.canvas.set_theme(theme)
        self.inspector.set_theme(theme)
        self.watch.set_theme(theme, self._context.session.patch)
        for grip in self.grips.values():
            grip.set_theme(theme)

    def listen(self, _on: bool) -> None:
        """Nothing is measured for this page alone."""

    def follow(self) -> None:
        """Keep what Watch would show, and notice what gives nothing new."""
        session = self._context.session
        self.watch.remember()
        rate = session.engine.status[Status.RATE] or session.options.rate
        if self._quiet_watch.look(session.patch, session.engine, session.engine.position, rate):
            quiet = self._context.selection.as_seen(self._quiet_watch.quiet)
            self.canvas.set_quiet(quiet)
            self.inspector.story.set_quiet(quiet)

    def animate(self) -> None:
        """Show everything that is live."""
        for part in (self.canvas, self.inspector, self.watch):
            part.animate()

    def hear(self, message: object) -> None:
        """What the engine says of modules, and of the device."""
        selection = self._context.selection
        if isinstance(message, say.DeviceChosen):
            self.watch.rate = message.rate
        elif isinstance(message, say.Faults):
            self.canvas.set_faults(selection.shown_as(message.modules))
        elif isinstance(message, say.Clicked):
            self.inspector.story.set_clicks(message.module, message.count)
        elif isinstance(message, say.ProgramRuns):
            asleep = selection.as_seen(message.asleep)
            self.canvas.set_asleep(asleep)
            self.inspector.story.set_asleep(asleep)

    def take_focus(self) -> None:
        """The lanes are where one begins."""
        self.canvas.setFocus()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """A low window folds Watch away."""
        high = self.height() >= WATCH_FROM_H
        self.watch.setVisible(high)
        self.grips["watch_h"].setVisible(high)
        self.grips["inspector_w"].setVisible(not self.drawer.narrow)
        super().resizeEvent(event)

    # -- links drawn with the mouse -------------------------------------------------------------------------------

    def take_drawn_link(self, source: str, card: str, where: QPoint) -> None:
        """A link was drawn from a card's edge: onto a rail it is made at once, onto a card its ports are offered."""
        context, seen = self._context, self._context.selection.seen
        spec = spec_for(seen.module(source))
        if spec is None or not spec.outputs:
            return
        output = Place(source, spec.outputs[0].id).inner
        widget: QWidget | None = QApplication.widgetAt(where)
        if not card and isinstance(widget, Rail):
            onto = next((port for port, rail in self.inspector.rails.items() if rail is widget), "")
            if onto:
                links.link_places(context, output, context.selection.place_of(onto))
            return
        target = spec_for(seen.module(card)) if card else None
        if target is None:
            return
        role, sound = spec.outputs[0].role, next((x for x in target.inputs if x.role == "audio"), None)
        if role == "audio" and target.ends and sound is not None:
            links.link_places(context, output, Place(card, sound.id).inner)
            return
        menu = QMenu(self)
        menu.addAction(
            tr("{name} into {name_2}", name=seen.module(source).name, name_2=seen.module(card).name)
        ).setEnabled(False)
        ports = [port for port in target.targets if not (isinstance(port, Param) and port.follows)]
        ports.sort(key=lambda port: getattr(port, "role", "") != role)  # what fits comes first
        for port in ports:
            menu.addAction(port.name, partial(links.link_places, context, output, Place(card, port.id).inner))
        show_menu(menu, where)
