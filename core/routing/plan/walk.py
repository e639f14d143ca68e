"""The order in which a rig is followed: feeders first, and what closes a cycle."""

from core.routing.document.rig import Rig


def walk(rig: Rig) -> tuple[list[str], set[str]]:
    """Nodes in an order in which feeders come first, and the rails that close a cycle."""
    colour: dict[str, int] = {}
    done: list[str] = []
    back: set[str] = set()
    starts = sorted(n.id for n in rig.of_kind("source"))
    starts += [n for n in sorted(rig.nodes) if not rig.inputs[n] and n not in starts]
    starts += sorted(rig.nodes)
    for start in starts:
        if start in colour:
            continue
        colour[start] = 1
        stack = [(start, iter(rig.outputs_of(start)))]
        while stack:
            node, ports = stack[-1]
            port = next(ports, None)
            if port is None:
                colour[node] = 2
                done.append(node)
                stack.pop()
                continue
            target = rig.rails[port].target
            state = colour.get(target, 0)
            if state == 1:
                back.add(port)
            elif state == 0:
                colour[target] = 1
                stack.append((target, iter(rig.outputs_of(target))))
    return done[::-1], back


def in_cycles(rig: Rig, back_rails: set[str]) -> set[str]:
    """Nodes on a cycle: those that the end of a closing rail reaches and that reach its start."""
    found: set[str] = set()
    for port in back_rails:
        start = port.rpartition(".")[0]
        forward, todo = set(), [rig.rails[port].target]
        while todo:
            node = todo.pop()
            if node not in forward:
                forward.add(node)
                todo += [rig.rails[p].target for p in rig.outputs_of(node)]
        backward, todo = set(), [start]
        while todo:
            node = todo.pop()
            if node not in backward:
                backward.add(node)
                todo += [p.rpartition(".")[0] for p in rig.inputs[node]]
        found |= forward & backward
    return found
