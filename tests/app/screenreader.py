"""A screen reader for tests: hears and does what AT-SPI, the accessibility bus of the desktop, tells and allows.

Run by the system's Python, which has ``pyatspi``; it takes one order a line as JSON and answers with one. It sees no
picture and knows nothing of Dunefall.
"""

import json
import subprocess
import sys
import time

import pyatspi
from gi.repository import GLib

LOOKED_FOR_S = 60.0
ROLES = {"button": "push button"}
"""What newer versions of AT-SPI call a role, and older ones."""


def role_of(thing):
    """What it is, as older versions of AT-SPI call it."""
    return ROLES.get(thing.getRoleName(), thing.getRoleName())


class Reader:
    """Stands before one program."""

    def __init__(self, name):
        self.said, self._places = [], {}
        pyatspi.Registry.registerEventListener(self._hear, "object:state-changed:focused")
        end = time.monotonic() + LOOKED_FOR_S
        pyatspi.Registry.registerEventListener(self._hear_announced, "object:announcement")
        self.app = None
        while self.app is None and time.monotonic() < end:
            found = [app for app in pyatspi.Registry.getDesktop(0) if app and app.name == name and app.childCount]
            self.app = found[0] if found else None
            time.sleep(0.3)

    def _hear(self, event):
        if event.detail1:
            self.said.append([role_of(event.source), event.source.name, event.source.description])

    def _hear_announced(self, event):
        self.said.append(["announcement", str(event.any_data), ""])

    def _shown(self, thing):
        yield thing
        for child in thing:
            if child is not None and child.getState().contains(pyatspi.STATE_SHOWING):
                yield from self._shown(child)

    def _find(self, role, name, within=None):
        for root in [self._places[within]] if within else reversed(list(self.app)):  # what opened last is in front
            for thing in self._shown(root):
                if role_of(thing) == role and thing.name == name:
                    return thing
        return None

    def windows(self):
        """Names of all windows that are shown."""
        return [window.name for window in self.app if window.getState().contains(pyatspi.STATE_SHOWING)]

    def remember(self, role, name):
        """Know where something is, to look within it."""
        self._places[name] = self._find(role, name)
        return self._places[name] is not None

    def tell(self, role, name, within=None):
        """What there is of this role and name."""
        thing = self._find(role, name, within)
        if thing is None:
            return None
        offered = pyatspi.listInterfaces(thing)
        value = thing.queryValue().currentValue if "Value" in offered else None
        return {"description": thing.description, "value": value, "children": [child.name for child in thing if child]}

    def checked(self, role, name):
        """Whether it is on."""
        return bool(self._find(role, name).getState().contains(pyatspi.STATE_CHECKED))

    def roles(self):
        """Role, name and description of all that is shown in the window in front."""
        return [[role_of(thing), thing.name, thing.description] for thing in self._shown(list(self.app)[-1])]

    def focus(self, role, name, within=None):
        """Bring the keys there."""
        return bool(self._find(role, name, within).queryComponent().grabFocus())

    def press(self, role, name, within=None):
        """Press it."""
        action = self._find(role, name, within).queryAction()
        names = [action.getName(k) for k in range(action.nActions)]
        return bool(action.doAction(names.index("Press")))

    def set(self, role, name, value, within=None):
        """Set it to a number."""
        self._find(role, name, within).queryValue().currentValue = value
        return True

    def key(self, *names):
        """Press keys, one after the other."""
        for name in names:
            subprocess.run(["xdotool", "key", name], check=True)
            time.sleep(0.1)
        return True

    def activate(self):
        """Give the keys to the window in front, as a desktop does."""
        found = subprocess.run(["xdotool", "search", "--onlyvisible", "--name", "."], capture_output=True, text=True)
        subprocess.run(["xdotool", "windowfocus", "--sync", found.stdout.split()[-1]], check=True)
        return True

    def heard(self, seconds=0.5):
        """What was said of late: what got the keys."""
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            while GLib.MainContext.default().pending():
                GLib.MainContext.default().iteration(False)
            time.sleep(0.02)
        said, self.said = self.said, []
        return said


def main():
    reader = Reader(sys.argv[1])
    print(json.dumps(reader.app is not None), flush=True)
    for line in sys.stdin:
        order, *values = json.loads(line)
        print(json.dumps(getattr(reader, order)(*values)), flush=True)


if __name__ == "__main__":
    main()
