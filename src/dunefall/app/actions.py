"""One table of everything that can be done: text, shortcut, tooltip. Menus, buttons and help derive from it."""

from __future__ import annotations

from dataclasses import dataclass

__all__ = ["COMMANDS", "Command"]


@dataclass(frozen=True)
class Command:
    """A command of the window; ``method`` is the window's method that does it, ``part`` the menu within the menu."""

    id: str
    text: str
    shortcut: str
    method: str
    part: str = ""
    separator: bool = False


COMMANDS = (
    Command("new", "New patch", "Ctrl+N", "new_patch"),
    Command("open", "Open…", "Ctrl+O", "open_file"),
    Command("recent", "Open recent", "", "show_recent"),
    Command("demo", "Open the demo", "", "open_demo"),
    Command("save", "Save", "Ctrl+S", "save"),
    Command("save_as", "Save as…", "Ctrl+Shift+S", "save_as"),
    Command("render", "Render to WAV…", "Ctrl+Shift+R", "render_file"),
    Command("save_take", "Save the take…", "Ctrl+Alt+S", "save_take", part="Take"),
    Command("render_take", "Render the take to WAV…", "Ctrl+Alt+R", "render_take", part="Take"),
    Command("go_to", "Go to…", "Ctrl+G", "go_to", part="Take"),
    Command("undo", "Undo", "Ctrl+Z", "undo", separator=True),
    Command("redo", "Redo", "Ctrl+Shift+Z", "redo"),
    Command("add_layer", "Add layer…", "Ctrl+Shift+L", "add_layer", separator=True),
    Command("add_module", "Add…", "A", "add_module"),
    Command("link", "Move this…", "M", "link_selection"),
    Command("gather", "Gather under a control…", "Ctrl+Shift+G", "ask_gather"),
    Command("learn", "Learn a MIDI controller…", "Ctrl+Alt+M", "learn_controller"),
    Command("duplicate", "Duplicate", "Ctrl+D", "duplicate", part="Copy"),
    Command("duplicate_all", "Duplicate with its own sources", "Ctrl+Alt+D", "duplicate_with_sources", part="Copy"),
    Command("copy", "Copy", "Ctrl+C", "copy", part="Copy"),
    Command("paste", "Paste", "Ctrl+V", "paste", part="Copy"),
    Command("compound", "Make a compound…", "C", "make_compound", part="Compound"),
    Command("open_compound", "Open or close", "O", "toggle_compound", part="Compound"),
    Command("edit_compound", "Name, controls and ports…", "Shift+C", "edit_compound", part="Compound"),
    Command("keep_compound", "Save to your library", "Ctrl+Alt+C", "keep_compound", part="Compound"),
    Command("take_in", "Take a file into your library…", "", "take_in_compound", part="Compound"),
    Command("take_apart", "Take apart", "Shift+O", "take_apart", part="Compound"),
    Command("randomise", "Randomise…", "R", "ask_randomise", part="Copy"),
    Command("vary", "Vary a little", "Shift+R", "vary", part="Copy"),
    Command("bypass", "Bypass", "B", "toggle_bypass", part="Module"),
    Command("pin", "Pin in Watch", "P", "toggle_pin", part="Module"),
    Command("rename", "Rename…", "F2", "rename", part="Module"),
    Command("reset", "Start the module anew", "Ctrl+Backspace", "reset_module", part="Module"),
    Command("voices", "Voices of the layer…", "V", "ask_voices"),
    Command("remove", "Remove", "Delete", "remove", part="Module"),
    Command("fold", "Fold the lane", "Ctrl+E", "toggle_fold"),
    Command("mute", "Mute the layer", "Alt+M", "mute_layer", part="Listen"),
    Command("solo", "Solo the layer", "Alt+S", "solo_layer", part="Listen"),
    Command("hear", "Hear from here", "H", "hear_from_here", part="Listen"),
    Command("without", "Hear it without (hold, or press twice)", "Shift+H", "hear_without", part="Listen"),
    Command("up", "What moves this?", "Alt+Left", "go_to_source", part="Listen"),
    Command("down", "What does this move?", "Alt+Right", "go_to_target", part="Listen"),
    Command("find", "Find a module…", "Ctrl+F", "find_module", part="Listen"),
    Command("play", "Play or pause", "Space", "toggle_play", separator=True),
    Command("stop", "Stop and rewind", "Shift+Space", "rewind"),
    Command("silence", "Silence everything", "Ctrl+.", "silence_everything", part="Sound"),
    Command("soften", "Soften the last click", "Ctrl+Shift+C", "soften", part="Sound"),
    Command("limiter", "Limiter on or off", "Ctrl+L", "toggle_limiter", part="Sound"),
    Command("device", "Sound devices…", "Ctrl+Shift+D", "choose_device", part="Sound"),
    Command("reroll", "Another seed", "Ctrl+R", "reroll"),
    Command("build", "Build workspace", "Ctrl+1", "show_build", separator=True),
    Command("mix", "Mix workspace", "Ctrl+2", "show_mix"),
    Command("effect_lane", "Add effect lane…", "Ctrl+Shift+E", "add_effect_lane", part="Mix"),
    Command("master", "Master's values", "Ctrl+Shift+M", "select_master", part="Mix"),
    Command("inspector", "Show or hide the inspector", "I", "toggle_inspector"),
    Command("larger", "Lanes larger", "Ctrl++", "zoom_in", part="Zoom"),
    Command("smaller", "Lanes smaller", "Ctrl+-", "zoom_out", part="Zoom"),
    Command("real_size", "Lanes as large as they are", "Ctrl+0", "zoom_back", part="Zoom"),
    Command("freeze", "Freeze Watch", "F", "toggle_freeze"),
    Command("theme", "Noon or Dusk", "Ctrl+T", "toggle_theme", separator=True),
    Command("preferences", "Preferences…", "Ctrl+,", "ask_preferences"),
    Command("quit", "Quit", "Ctrl+Q", "close"),
)
