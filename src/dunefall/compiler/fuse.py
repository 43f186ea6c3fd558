"""Code made for one feedback loop: all its kernels in one function, with states and signals in registers.

Inside a loop every module runs sample by sample, and calling kernels one by one costs several times what they compute.
So each kind of loop (its modules' types and how they are linked) gets its own function, generated here as source,
compiled in the background and kept on disk. It gives the same bits as the modules one by one, so it can be put to use,
or left out, at any moment.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

from llvmlite import ir
from numba import njit, types
from numba.extending import intrinsic

from dunefall.catalogue.declare import Param
from dunefall.compiler.kernels import compiled_before, generated_path, kernel_arguments, load_generated
from dunefall.compiler.plan import LoopLink, LoopModule
from dunefall.compiler.records import AMOUNT, BASE, INPUT, LINK, MODULE, PLACES, word
from dunefall.compiler.views import address_caller, view

__all__ = ["call_fused", "fused_address", "fused_path", "fused_ready", "fused_text", "local"]

FUSED = types.int64(
    types.int64,  # number of samples
    types.int64,  # first sample within the quantum
    types.int64,  # address of the rows of the loop's ports
    types.int64,  # address of the loop's module records
    types.int64,  # address of its input records
    types.int64,  # address of its base values
    types.int64,  # address of ``Plan.places``
    types.float64,  # sample rate in Hz
)
"""Gives 1, and has changed nothing but rows and memories, if a module may have given no usable number; 0 otherwise."""


IN_REGISTERS = 16
"""Numbers of a state from which on it stays on the stack."""
MANY = 1 << 40
"""More numbers than any array has: views that are never walked through."""
_loaded: dict[Path, Any] = {}


def fused_path(modules: tuple[LoopModule, ...]) -> Path:
    """File of the loop's code, written if it is new; name it to ``fused_address`` of any process."""
    return generated_path("loop", fused_text(modules))


def fused_ready(path: Path) -> bool:
    """Whether the code of a loop is compiled, here or on disk."""
    return path in _loaded or compiled_before(path)


def fused_address(path: Path) -> int:
    """Address of a loop's compiled function; compiles it for some seconds, or loads it from disk.

    Parameters
    ----------
    path : Path
        The file.

    Returns
    -------
    int
    """
    if path not in _loaded:
        _loaded[path] = load_generated(path).entry
    return int(_loaded[path].address)


def fused_text(modules: tuple[LoopModule, ...]) -> str:
    """Source of the loop's function.

    Parameters
    ----------
    modules : collection of str
        Ids of the modules.

    Returns
    -------
    str
    """
    lines = ['"""Made for one kind of feedback loop."""', "import numpy as np", "from numba import cfunc, njit"]
    kernels = {module.spec.id: module.spec.kernel.__module__ for module in modules}
    lines += [f"from {place} import kernel as plain_{_name(type_id)}" for type_id, place in kernels.items()]
    lines += [
        "from dunefall.compiler.fuse import FUSED, local",
        "from dunefall.compiler.records import SCRATCH",
        "from dunefall.compiler.views import window, words",
        "from dunefall.compiler.records import QUANTUM",
        "from dunefall.compiler.gather import ceiling, shaped",
        "from dunefall.compiler.parts import FAULT_SIZE, sound",
        "from dunefall.dsp.cache import use_folder_of",
        "from dunefall.dsp.maths import exp2, fma",
        "use_folder_of(__file__)",
        "",
    ]
    for spec in {module.spec.id: module.spec for module in modules}.values():
        inline = spec.state <= IN_REGISTERS  # larger ones gain nothing by it and take long to compile
        options = f'nogil=True, error_model="numpy", forceinline={inline}'
        lines.append(f"{_name(spec.id)} = njit({options})(plain_{_name(spec.id)})")
    lines += [
        "",
        '@cfunc(FUSED, cache=True, nopython=True, error_model="numpy", forceinline=True)',
        "def entry(n, start, ports_p, modules_p, inputs_p, bases_p, places_p, rate):",
        f"    places = words(places_p, 0, {len(PLACES)})",
    ]
    lines += [f"    {name} = words({name}_p, 0, {MANY})" for name in ("ports", "modules", "inputs")]
    lines += [f"    bases = window(bases_p, 0, {MANY})"]
    for name in ("rows", "states", "memories", "links", "amounts", "series"):
        lines.append(f"    {name}_p = places[{PLACES.index(name)}]")
    lines += [f"    links = words(links_p, 0, {MANY})", f"    amounts = window(amounts_p, 0, {MANY})"]
    writer = _Writer(modules)
    lines += [f"    {line}" for line in (*writer.setup(), *writer.body(), *writer.end())]
    return "\n".join(lines) + "\n"


def _name(type_id: str) -> str:
    return type_id.replace("-", "_")


def _copied(target: str, source: str, count: int) -> list[str]:
    """Lines that copy a state: one by one where it may go into registers, else in a loop, which compiles faster."""
    if count <= IN_REGISTERS:
        return [f"{target}[{j}] = {source}[{j}]" for j in range(count)]
    return [f"for j in range({count}):", f"    {target}[j] = {source}[j]"]


def _closed(links: tuple[LoopLink, ...]) -> bool:
    """Whether one of the links comes from within the loop."""
    return any(link.source is not None for link in links)


class _Writer:
    """Lines of the function; ``c3`` holds the ports of the loop's module 3, ``s3`` its state, ``o3_2`` what its port 2
    gave: kept on the stack, so that after the loop it is looked through and stored in vectors."""

    def __init__(self, modules: tuple[LoopModule, ...]) -> None:
        self.modules = modules
        self.plain = self._plain()
        self.port_first: list[int] = []
        self.input_first: list[int] = []
        ports = inputs = 0
        for module in modules:
            self.port_first.append(ports)
            self.input_first.append(inputs)
            ports += len(module.spec.target_rows) + len(module.spec.output_rows)
            inputs += len(module.spec.target_rows)

    def _leaves(self, k: int, port: int) -> bool:
        return self.modules[k].leaving[port - len(self.modules[k].spec.target_rows)]

    def _is_used(self, k: int, port: int) -> bool:
        return self.modules[k].used[port - len(self.modules[k].spec.target_rows)]

    def _row(self, k: int, port: int) -> str:
        return f"ports[{self.port_first[k] + port}]"

    def setup(self) -> list[str]:
        """Constants and states into locals; what the outputs gave a sample ago."""
        lines = ["before = start - 1 if start > 0 else QUANTUM - 1"]
        for k, module in enumerate(self.modules):
            spec = module.spec
            names = ("state_at", "memory_at", "memory_size", "key")
            state_at, memory_at, memory_size, key = (f"modules[{word(MODULE, name, k)}]" for name in names)
            targets = len(spec.target_rows)
            lines += [f"c{k} = local({targets + len(spec.output_rows)})", f"s{k} = local({spec.state})"]
            lines.append(f"t{k} = window(states_p, {state_at}, {spec.state})")
            lines += _copied(f"s{k}", f"t{k}", spec.state)
            lines += [f"m{k} = window(memories_p, {memory_at}, {memory_size})"] if spec.memory or spec.memory_s else []
            for series, (first, count) in spec.series_places.items():
                at = f"modules[{word(MODULE, 'series_at', k)}] + {first}"
                lines.append(f"{series}_{k} = window(series_p, {at}, {count})")
            lines += [f"key{k} = np.uint64({key})", f"scratch{k} = local(SCRATCH)"]
            for j, links in enumerate(module.links):
                lines.append(f"r{k}_{j} = window(rows_p, {self._row(k, j)} + start, n)")
                lines += self._links(k, j, links) if links else [f"c{k}[{j}] = r{k}_{j}[0]"]
            for j in range(targets, targets + len(spec.output_rows)):
                lines += [f"r{k}_{j} = window(rows_p, {self._row(k, j)} + start, n)",
                          f"b{k}_{j} = window(rows_p, {self._row(k, j)} + before, 1)",
                          f"p{k}_{j} = b{k}_{j}[0]", f"c{k}[{j}] = p{k}_{j}"]  # fmt: skip
                lines += [f"o{k}_{j} = local(QUANTUM)"] if self._leaves(k, j) else []
        return [*lines, *(f"size{k} = 0.0" for k in range(len(self.modules)))]

    def _links(self, k: int, j: int, links: tuple[LoopLink, ...]) -> list[str]:
        at = self.input_first[k] + j
        lines = [f"base{k}_{j} = bases[{word(BASE, 'goal', at)}]"]
        lines += [f"first{k}_{j} = inputs[{word(INPUT, 'link_first', at)}]"]
        for x, link in enumerate(links):
            place = f"(first{k}_{j} + {x})"
            record = f"{AMOUNT.itemsize // 8} * {place}"
            lines.append(f"base{k}_{j} += amounts[{record} + {word(AMOUNT, 'offset_goal')}]")
            lines.append(f"amount{k}_{j}_{x} = amounts[{record} + {word(AMOUNT, 'amount_goal')}]")
            if link.source is None:
                at_row = f"{LINK.itemsize // 8} * {place} + {word(LINK, 'row')}"
                lines.append(f"x{k}_{j}_{x} = window(rows_p, links[{at_row}] + start, n)")
        if (k, j) in self.plain:  # with -0 added, a signal that comes as it is keeps the sign of its zeros
            lines.append(f"base{k}_{j} = -0.0 if base{k}_{j} == 0.0 and amount{k}_{j}_0 == 1.0 else base{k}_{j}")
        return lines

    def body(self) -> list[str]:
        """Inputs that only the outside moves, in rows; then one sample of all modules after the other, in their order:
        a later one's cell still holds the sample before."""
        lines = []
        for k, module in enumerate(self.modules):
            for j, links in enumerate(module.links):
                if links and not _closed(links):
                    lines += ["for i in range(n):"]
                    lines += [f"    {line}" for line in self._gather(k, j, links)]
                    lines += [f"    r{k}_{j}[i] = v"]
        usual = [(f"c{k}[{j}]", value) for k, j, value in self._usual()]
        for k, j in self.plain:
            usual += [(f"base{k}_{j}", 0.0), (f"amount{k}_{j}_0", 1.0)]
        if not usual:
            return [*lines, *self._samples()]
        lines.append("if " + " and ".join(f"{name} == {value}" for name, value in usual) + ":")
        lines += [f"    {name} = {value}" for name, value in usual if name[0] == "c"]  # tells the compiler
        lines += [f"    {line}" for line in self._samples(plain=True)]
        return [*lines, "else:", *(f"    {line}" for line in self._samples())]

    def _usual(self) -> list[tuple[int, int, float]]:
        """Parameters at which a short way through a module hangs, and their values for it."""
        return [
            (k, j, float(port.usual))
            for k, module in enumerate(self.modules)
            for j, port in enumerate(module.spec.target_rows)
            if isinstance(port, Param) and port.usual is not None and not module.links[j]
        ]

    def _plain(self) -> list[tuple[int, int]]:
        """Inputs that one link of the loop leads to: usually unchanged, unless it is a pitch."""
        return [
            (k, j)
            for k, module in enumerate(self.modules)
            for j, (port, links) in enumerate(zip(module.spec.target_rows, module.links, strict=True))
            if len(links) == 1 and _closed(links) and not isinstance(port, Param) and port.role != "pitch"
        ]

    def _samples(self, *, plain: bool = False) -> list[str]:
        """The loop over the samples; ``plain``: inputs of one link of the loop use it unchanged."""
        as_they_are = self.plain if plain else []
        lines = ["for i in range(n):"]
        for k, module in enumerate(self.modules):
            for j, links in enumerate(module.links):
                if links and _closed(links):
                    gathered = self._gather(k, j, links, plain=(k, j) in as_they_are)
                    lines += [f"    {line}" for line in (*gathered, f"c{k}[{j}] = v")]
                elif links:
                    lines.append(f"    c{k}[{j}] = r{k}_{j}[i]")
            lines.append("    " + self._call(k, module))
            targets = len(module.spec.target_rows)
            for j in range(targets, targets + len(module.spec.output_rows)):
                if self._leaves(k, j):
                    lines.append(f"    o{k}_{j}[i] = c{k}[{j}]")
                elif self._is_used(k, j):
                    lines.append(f"    size{k} = fma(c{k}[{j}], c{k}[{j}], size{k})")
        return lines

    def _gather(self, k: int, j: int, links: tuple[LoopLink, ...], *, plain: bool = False) -> list[str]:
        lines = [] if plain else [f"v = base{k}_{j}"]
        for x, link in enumerate(links):
            if link.source is None:
                value = f"x{k}_{j}_{x}[i]"
            else:
                a, output = link.source
                value = f"c{a}[{len(self.modules[a].spec.target_rows) + output}]"
                value = f"ceiling({value})" if link.bounded and a >= k else value
            value = f"shaped({value}, {link.curve})" if link.curve else value
            lines.append(f"v = {value}" if plain else f"v = fma({value}, amount{k}_{j}_{x}, v)")
        port = self.modules[k].spec.target_rows[j]
        if isinstance(port, Param):
            lines.append(f"v = min(max(v, {float(port.domain[0])!r}), {float(port.domain[1])!r})")
            lines += ["v = exp2(v)"] if port.octaves else []
        return lines

    def _call(self, k: int, module: LoopModule) -> str:
        spec = module.spec
        ports = [port.id for port in (*spec.target_rows, *spec.output_rows)]
        linked = str(sum(1 << j for j, links in enumerate(module.links) if links))
        wanted = str(sum(1 << j for j, used in enumerate(module.used) if used))
        own = {"state": f"s{k}", "memory": f"m{k}", "scratch": f"scratch{k}", "key": f"key{k}"}
        own |= {series: f"{series}_{k}" for series in spec.series_places}
        own |= {"rate": "rate", "linked": linked, "moving": linked, "wanted": wanted, "start": "start + i"}
        own["line_phase"] = "0"
        cell = {port: f"c{k}[{j} : {j + 1}]" for j, port in enumerate(ports)}
        call = f"{_name(spec.id)}({', '.join(cell.get(name) or own[name] for name in kernel_arguments(spec))})"
        if not module.bypassed:
            return call
        first = len(spec.target_rows)
        passed = {first + output: target for target, output in spec.passed}
        given = {j: f"c{k}[{passed[j]}]" if j in passed else "0.0" for j in range(first, len(ports))}
        return "; ".join((call, *(f"c{k}[{j}] = {value}" for j, value in given.items())))

    def end(self) -> list[str]:
        """States back, if all went well; else the last samples before, from which the modules go on one by one."""
        outputs = [
            (k, j)
            for k, module in enumerate(self.modules)
            for j in range(len(module.spec.target_rows), len(module.spec.target_rows) + len(module.spec.output_rows))
        ]
        sizes = " + ".join(f"size{k}" for k in range(len(self.modules)))
        rows = [f"sound(o{k}_{j}[:n])" for k, j in outputs if self._leaves(k, j) and self._is_used(k, j)]
        lines = [
            f"if not ({' and '.join((f'{sizes} < FAULT_SIZE * FAULT_SIZE', *rows))}):",
            *(f"    b{k}_{j}[0] = p{k}_{j}" for k, j in outputs),
            "    return 1",
        ]
        for k, j in outputs:
            if self._leaves(k, j):
                lines += ["for i in range(n):", f"    r{k}_{j}[i] = o{k}_{j}[i]"]
            else:
                lines.append(f"r{k}_{j}[n - 1] = c{k}[{j}]")
        for k, module in enumerate(self.modules):
            lines += [f"r{k}_{j}[n - 1] = c{k}[{j}]" for j, links in enumerate(module.links) if links]
            lines += _copied(f"t{k}", f"s{k}", module.spec.state)
        return [*lines, "return 0"]


@intrinsic(prefer_literal=True)
def local(typingctx, size):  # type: ignore[no-untyped-def]
    """An array of a fixed size on the stack, which the compiler takes apart into registers where it can."""

    def generate(context, builder, signature, values):  # type: ignore[no-untyped-def]
        count = size.literal_value
        with builder.goto_entry_block():  # not cleared: everything in it is written before it is read
            place = builder.alloca(ir.ArrayType(ir.DoubleType(), max(count, 1)))
        return view(context, builder, signature.return_type, place, context.get_constant(types.intp, count))

    return types.Array(types.float64, 1, "C")(size), generate


_call_address = address_caller(FUSED)


@njit(nogil=True, error_model="numpy", forceinline=True)
def call_fused(address, arguments):  # type: ignore[no-untyped-def]
    """Call a loop's function; ``arguments`` is a tuple in the order of ``FUSED``."""
    return _call_address(address, arguments)
