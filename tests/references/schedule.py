"""Random task graphs with their critical paths by networkx, a reference for core/forecast/simulate.ts.

Run with networkx 3.6.1: python3 tests/references/schedule.py > tests/references/schedule.json
"""
import json
import random

import networkx as nx

random.seed(20261123)
cases = []
for number in range(40):
    count = random.randint(1, 30)
    share = random.choice([0.05, 0.15, 0.4])
    graph = nx.DiGraph()
    durations = [random.randint(1, 20) for _ in range(count)]
    graph.add_nodes_from(range(count))
    # an edge from a to b: b waits for a; always from a lower place in a shuffled order, so that there is no circle
    order = list(range(count))
    random.shuffle(order)
    for i in range(count):
        for j in range(i + 1, count):
            if random.random() < share:
                graph.add_edge(order[i], order[j])
    assert nx.is_directed_acyclic_graph(graph)
    # the weight of a task stands on the edges that leave it; a last edge to the end carries that of the last task
    weighted = nx.DiGraph()
    weighted.add_nodes_from(range(count))
    weighted.add_node("end")
    for a, b in graph.edges:
        weighted.add_edge(a, b, weight=durations[a])
    for a in range(count):
        weighted.add_edge(a, "end", weight=durations[a])
    cases.append(
        {
            "durations": durations,
            "after": [sorted(graph.predecessors(n)) for n in range(count)],
            "criticalPath": nx.dag_longest_path_length(weighted),
            "total": sum(durations),
        }
    )
print(json.dumps({"networkx": nx.__version__, "cases": cases}))
