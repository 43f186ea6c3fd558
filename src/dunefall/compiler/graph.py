"""Order of execution: feedback loops found, the rest sorted, always the same way for the same patch.

Rule for the one sample of delay: inside a loop, modules keep their order in the patch (layers from top to bottom,
modules from first to last); a link that does not lead forward in this order reads the sample before.

Method: Tarjan 1972, Depth-first search and linear graph algorithms, doi:10.1137/0201010 (written without recursion).
"""

from __future__ import annotations

import heapq

__all__ = ["execution_order", "parts_of"]


def execution_order(count: int, edges: list[tuple[int, int]]) -> list[list[int]]:
    """Groups of nodes in order of execution.

    Parameters
    ----------
    count : int
        Nodes are 0..count-1, numbered in the order of the patch.
    edges : list of (source, target)
        Source and target of each link.

    Returns
    -------
    list of list of int
        Each group is one node, or all nodes of one feedback loop in ascending order. Groups that do not depend on
        each other come in the order of their first node.

    Examples
    --------
    >>> execution_order(4, [(2, 0), (0, 3), (3, 0)])
    [[1], [2], [0, 3]]
    """
    follows: list[list[int]] = [[] for _ in range(count)]
    for source, target in edges:
        follows[source].append(target)
    groups = _strongly_connected(count, follows)
    group_of = [0] * count
    for index, group in enumerate(groups):
        for node in group:
            group_of[node] = index
    return _sorted_groups(groups, group_of, edges)


def _strongly_connected(count: int, follows: list[list[int]]) -> list[list[int]]:
    number, low = [-1] * count, [0] * count
    on_stack = [False] * count
    stack: list[int] = []
    groups: list[list[int]] = []
    counter = 0
    for root in range(count):
        if number[root] >= 0:
            continue
        work = [(root, 0)]
        while work:
            node, child = work.pop()
            if child == 0:
                number[node] = low[node] = counter
                counter += 1
                stack.append(node)
                on_stack[node] = True
            descended = False
            for k in range(child, len(follows[node])):
                after = follows[node][k]
                if number[after] < 0:
                    work += [(node, k + 1), (after, 0)]
                    descended = True
                    break
                if on_stack[after]:
                    low[node] = min(low[node], low[after])
            if descended:
                continue
            if low[node] == number[node]:
                group: list[int] = []
                while not group or group[-1] != node:
                    group.append(stack.pop())
                    on_stack[group[-1]] = False
                groups.append(sorted(group))
            if work:
                parent = work[-1][0]
                low[parent] = min(low[parent], low[node])
    return groups


def _sorted_groups(groups: list[list[int]], group_of: list[int], edges: list[tuple[int, int]]) -> list[list[int]]:
    after: list[set[int]] = [set() for _ in groups]
    waiting = [0] * len(groups)
    for source, target in edges:
        a, b = group_of[source], group_of[target]
        if a != b and b not in after[a]:
            after[a].add(b)
            waiting[b] += 1
    ready = [(group[0], index) for index, group in enumerate(groups) if waiting[index] == 0]
    heapq.heapify(ready)
    order = []
    while ready:
        _, index = heapq.heappop(ready)
        order.append(groups[index])
        for b in after[index]:
            waiting[b] -= 1
            if waiting[b] == 0:
                heapq.heappush(ready, (groups[b][0], b))
    return order


def parts_of(groups: list[list[int]], self_fed: set[int], strand: list[int]) -> list[tuple[int, int, int, int]]:
    """Runs of modules (first, last, loop, no code so far): neighbours of a strand outside loops are merged, loops stay
    separate.

    Parameters
    ----------
    groups : list of list of int
        Groups of nodes in order of execution.
    self_fed : set of int
        Nodes that feed themselves.
    strand : list of int
        The strand of each node, in order of execution.

    Returns
    -------
    list of (int, int, int, int)
    """
    parts: list[tuple[int, int, int, int]] = []
    at = 0
    for group in groups:
        loop = int(len(group) > 1 or group[0] in self_fed)
        if parts and not loop and not parts[-1][2] and strand[at - 1] == strand[at]:
            parts[-1] = (parts[-1][0], at + 1, 0, 0)
        else:
            parts.append((at, at + len(group), loop, 0))
        at += len(group)
    return parts
