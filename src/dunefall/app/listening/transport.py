"""Commands for what sounds and is not in the patch: playing, going to a time, limiter, devices, keys on the screen."""

from __future__ import annotations

from dataclasses import asdict, replace

from dunefall.app.listening.devicedialog import DeviceDialog
from dunefall.app.model.command import Command
from dunefall.app.model.context import Context
from dunefall.base.errors import ParameterError
from dunefall.base.language import tr
from dunefall.base.units import parse_time
from dunefall.patch.take import Clear, Note
from dunefall.session.edits.links import soften

__all__ = ["COMMANDS", "play_key", "rewind", "toggle_play"]


def toggle_play(context: Context) -> None:
    """Play or pause."""
    if context.session.playing:
        context.session.pause()
    else:
        context.session.play()


def rewind(context: Context) -> None:
    """Stop and go back to the start."""
    context.session.rewind()


def go_to(context: Context) -> None:
    """Go to a time of the take, in the state that the sound had there."""
    text, session = (
        context.talk.ask_text(tr("Go to"), tr("Time since the start, such as 1:30 or 45 s")),
        context.session,
    )
    if text is None:
        return
    try:
        seconds = parse_time(text)
        if seconds > session.length_s:
            raise ParameterError(tr("the take is {length_s:.1f} s long; {text} is not there yet",
                                    length_s=session.length_s, text=text.strip()))  # fmt: skip
        session.seek(seconds)
    except ParameterError as error:
        context.tell(str(error))


def silence_everything(context: Context) -> None:
    """Clear all echoes, tails and states; what still plays starts from nothing."""
    context.session.engine.act(Clear())


def play_key(context: Context, note: float, velocity: float) -> None:
    """A key of the on-screen keyboard went down, or up (velocity 0): the selected module plays it."""
    if context.selection.module:
        context.session.engine.act(Note(context.selection.module, note, velocity))


def toggle_limiter(context: Context) -> None:
    """Put the output's limiter into the way, or take it out."""
    engine = context.session.engine
    on = not engine.monitor.limited
    engine.set_monitor(replace(engine.monitor, limited=on))
    context.tell(
        tr("The limiter is on: true peaks stay below −1 dBTP.") if on else tr("The limiter is off: levels may clip.")
    )


def follow_clock(context: Context) -> None:
    """Let tempo, start and stop follow a MIDI clock, or no longer."""
    clock = context.session.clock
    clock.on = not clock.on
    context.settings.change(follows_clock=clock.on)
    came = (
        tr("The tempo follows it") if clock.bpm else tr("None has come in yet; choose its MIDI input in Sound devices")
    )
    context.tell(
        tr("Following a MIDI clock. {came}.", came=came) if clock.on else tr("The tempo is the patch's own again.")
    )


def follow_transport(context: Context) -> None:
    """Go with the transport of a JACK server, or no longer."""
    on = not context.session.engine.follows_transport
    context.session.follow_transport(on)
    context.settings.change(follows_transport=on)
    told = tr("Play, place and tempo are those of the JACK transport, where there is one.")
    context.tell(told if on else tr("Play, place and tempo are the patch's own again."))


def soften_last(context: Context) -> None:
    """The cure for the last click that was reported: a slew behind the module that made it."""
    session = context.session
    culprit, session.clicks.culprit = session.clicks.culprit, None
    if culprit is not None and session.patch.has(culprit.module):
        slew = soften(session.document, culprit.module)
        if slew:
            context.selection.select(slew)


def choose_device(context: Context) -> None:
    """Choose devices, rate and block, while the sound goes on."""
    dialog = DeviceDialog(context.session.options, context.talk.parent)

    def use() -> None:
        options = dialog.values
        context.session.engine.set_device(options)
        context.settings.change(**asdict(options))

    context.talk.show(dialog, use)


COMMANDS = (
    Command("play", tr("Play or pause"), "Space", "Listen", toggle_play),
    Command("stop", tr("Stop and rewind"), "Shift+Space", "Listen", rewind),
    Command("go_to", tr("Go to…"), "Ctrl+G", "Listen", go_to),
    Command("silence", tr("Silence everything"), "Ctrl+.", "Sound", silence_everything),
    Command("soften", tr("Soften the last click"), "Ctrl+Shift+C", "Sound", soften_last,
            lambda context: context.session.clicks.culprit is not None),
    Command("limiter", tr("Limiter on or off"), "Ctrl+L", "Sound", toggle_limiter),
    Command("clock", tr("Follow a MIDI clock, or not"), "", "Sound", follow_clock),
    Command("transport", tr("Follow the JACK transport, or not"), "", "Sound", follow_transport),
    Command("device", tr("Sound devices…"), "Ctrl+Shift+D", "Sound", choose_device),
)  # fmt: skip
