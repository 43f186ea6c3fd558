"""File names from a template: ``drip_{n:02}`` and the like, checked before anything is rendered."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence

from dunefall.base.errors import ParameterError
from dunefall.base.language import tr

__all__ = ["TOKENS", "check_template", "clean", "filled", "names_of"]

TOKENS = ("n", "seed", "layer", "title", "date", "rate", "take")
MOST_BYTES = 200
_TOKEN = re.compile(r"\{([^{}]*)\}")
_INNER = re.compile(r"([a-z]+)(?::0?([1-9]))?")


def clean(text: str) -> str:
    """Text that can be part of a file's name: what separates folders, and what shells stumble over, goes.

    Examples
    --------
    >>> clean("Sluice House, 03:00")
    'Sluice House, 03-00'
    """
    return re.sub(r"\s+", " ", re.sub(r"[/\\:*?\"<>|\x00-\x1f{}]", "-", text)).strip(" .") or "untitled"


def check_template(template: str) -> None:
    """Raise ParameterError, in one sentence, where a template of names cannot be used.

    Parameters
    ----------
    template : str
        A name without its ending, with tokens such as ``{seed}`` or ``{n:02}`` in it.

    Raises
    ------
    ParameterError
        If a token is unknown, a brace is alone, or the name would leave the folder.
    """
    for token in _TOKEN.findall(template):
        found = _INNER.fullmatch(token)
        if found is None or found[1] not in TOKENS:
            names = ", ".join(f"{{{name}}}" for name in TOKENS)
            raise ParameterError(
                tr(
                    "the file name has {{{token}}}, which is no token; there are {names} and {{n:02}}",
                    token=token,
                    names=names,
                )
            )
    rest = _TOKEN.sub("", template)
    if "{" in rest or "}" in rest:
        raise ParameterError(tr("the file name has a single { or }; a token is written {n}"))
    if "/" in rest or "\\" in rest or template in (".", ".."):
        raise ParameterError(tr("the file name must be a name, not a path; choose the folder beside it"))
    if not template.strip() or template.startswith("."):
        raise ParameterError(tr("the file name must not be empty or begin with a dot"))
    if not rest.isprintable():
        raise ParameterError(tr("the file name has control characters in it"))


def filled(template: str, values: Mapping[str, object]) -> str:
    """A template with the values of its tokens; numbers are filled up with zeros where it says so.

    Parameters
    ----------
    template : str
        With tokens in braces.
    values : mapping of str to object
        What stands for each token; a token without a value stays.

    Returns
    -------
    str

    Examples
    --------
    >>> filled("drip_{n:02}", {"n": 7})
    'drip_07'
    """

    def value(token: re.Match[str]) -> str:
        inner = _INNER.fullmatch(token[1])
        assert inner is not None
        found = values.get(inner[1], "")
        return f"{found:0{inner[2] or 1}d}" if isinstance(found, int) else clean(str(found))

    return _TOKEN.sub(value, template)


def names_of(template: str, files: Sequence[Mapping[str, object]]) -> list[str]:
    """The names of all files of a set, without their endings.

    Parameters
    ----------
    template : str
        See ``check_template``.
    files : sequence of mapping
        The values of the tokens, for each file.

    Returns
    -------
    list of str

    Raises
    ------
    ParameterError
        If the template cannot be used, two files would have one name, or a name is too long.
    """
    check_template(template)
    names = [filled(template, values) for values in files]
    seen: set[str] = set()
    for name in names:
        if name.casefold() in seen:
            raise ParameterError(
                tr('two files would be called "{name}"; put {{n}} or {{seed}} into the name', name=name)
            )
        if len(name.encode()) > MOST_BYTES:
            raise ParameterError(tr('"{name}…" is too long for a file name: at most {MOST_BYTES} bytes',
                                    name=name[:40], MOST_BYTES=MOST_BYTES))  # fmt: skip
        seen.add(name.casefold())
    return names
