"""What trimesh sees in a GLB: the names of what stands, how many there are, and the box around all."""
import json
import sys

import trimesh

scene = trimesh.load(sys.argv[1], force="scene", merge_primitives=True)
names = {}
edges = scene.graph.transforms.edge_data
for node in scene.graph.nodes_geometry:
    data = next((one for (_, to), one in edges.items() if to == node), {})
    extras = data.get("metadata") or data.get("extras") or {}
    if "cell" in extras:
        name = extras.get("tile") or extras.get("item") or "ground"
        names[name] = names.get(name, 0) + 1
print(json.dumps({"names": names, "bounds": scene.bounds.tolist()}))
