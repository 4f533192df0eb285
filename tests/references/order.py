"""Random orders by networkx, a reference for core/run/order.ts: circles, ancestors, levels along the longest way.

Run with networkx 3.6.1: python3 tests/references/order.py > tests/references/order.json
"""
import json
import random

import networkx as nx

random.seed(20261126)
cases = []
for size in [1, 2, 3, 5, 8, 12, 20] * 8:
    circles = random.random() < 0.4
    graph = nx.DiGraph()
    graph.add_nodes_from(range(size))
    for _ in range(random.randrange(size * 2)):
        # an edge from a to b: b waits for a
        a, b = random.randrange(size), random.randrange(size)
        if a != b and (circles or a < b):
            graph.add_edge(a, b)
    case = {
        "waits": [sorted(graph.predecessors(n)) for n in range(size)],
        "circles": sorted(sorted(c) for c in nx.strongly_connected_components(graph) if len(c) > 1),
    }
    if nx.is_directed_acyclic_graph(graph):
        level = {n: at for at, layer in enumerate(nx.topological_generations(graph)) for n in layer}
        case["ancestors"] = [sorted(nx.ancestors(graph, n)) for n in range(size)]
        case["levels"] = [level[n] for n in range(size)]
    cases.append(case)
print(json.dumps(cases))
