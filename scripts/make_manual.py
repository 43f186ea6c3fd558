"""Writes the manual page from the command line's own declarations: src/dunefall/data/desktop/dunefall.1."""

from __future__ import annotations

import os
from pathlib import Path

from argparse_manpage.manpage import Manpage

os.environ["DUNEFALL_LANGUAGE"] = "en"  # whatever the desktop speaks

from dunefall.cli import manual_parser

PAGE = Path(__file__).parent.parent / "src" / "dunefall" / "data" / "desktop" / "dunefall.1"


def written() -> str:
    """The page in roff."""
    parser = manual_parser()
    parser._manpage = []  # type: ignore[attr-defined]  # it asks for sections of its own
    lines = str(Manpage(parser)).split("\n")
    lines[0] = '.TH DUNEFALL "1" "" "Dunefall" "User Commands"'  # without the day on which it was made
    page = "\n".join(lines).rstrip() + "\n"
    return page.replace(".SH NAME\ndunefall\n", ".SH NAME\ndunefall \\- generative sound designer\n")


if __name__ == "__main__":
    PAGE.write_text(written(), "utf-8")
    print(f"{PAGE} written")
