"""Wavefront OBJ with its MTL."""

from __future__ import annotations

import io

import numpy as np

from plough.core.formats.glb import Images
from plough.core.mesh.material import Material
from plough.core.mesh.value import Mesh

_MAP = {"albedo": "map_Kd", "normal": "norm"}


def mesh_obj(
    mesh: Mesh, materials: dict[str, Material], name: str, images: Images
) -> dict[str, bytes]:
    """Files by name: ``name.obj``, ``name.mtl`` and the maps that the MTL names, but for those of which `images` gives an address.

    The tint of the vertices follows each position as red, green and blue; v runs up, as in OBJ.
    """
    out = io.StringIO()
    out.write(f"# metres, Y up\nmtllib {name}.mtl\no {name}\n")
    tint = np.ones((mesh.vertices, 3)) if mesh.colors is None else mesh.colors[:, :3] / 255.0
    np.savetxt(
        out, np.concatenate([mesh.positions, tint], axis=1), "v %.5f %.5f %.5f %.3f %.3f %.3f"
    )
    np.savetxt(out, np.stack([mesh.uv0[:, 0], 1.0 - mesh.uv0[:, 1]], axis=1), "vt %.5f %.5f")
    np.savetxt(out, mesh.normals, "vn %.4f %.4f %.4f")
    library, files = io.StringIO(), dict[str, bytes]()
    used: dict[str, str] = {}
    for part in mesh.parts:
        material = materials[part.material]
        if part.material not in used:
            used[part.material] = material.name.replace(" ", "_")
            r, g, b = (c**0.4545 for c in material.color)
            library.write(
                f"newmtl {used[part.material]}\nKd {r:.4f} {g:.4f} {b:.4f}\nKs 0 0 0\nPr {material.roughness:.3f}\nPm 0\nillum 1\n"
            )
            for slot, data in images(material).items():
                file = f"{name}-{part.material.replace(' ', '-')}-{slot}.png"
                if isinstance(data, str):
                    file = data
                else:
                    files[file] = data
                if slot in _MAP:
                    library.write(f"{_MAP[slot]} {file}\n")
                if slot == "albedo" and material.cutout:
                    library.write(f"map_d -imfchan m {file}\n")
        out.write(f"g {part.material.replace(' ', '_')}\nusemtl {used[part.material]}\n")
        rows = np.repeat(
            mesh.indices[part.first : part.first + part.count].astype(np.int64) + 1, 3, axis=1
        )
        np.savetxt(out, rows, "f %d/%d/%d %d/%d/%d %d/%d/%d")
    return {
        f"{name}.obj": out.getvalue().encode(),
        f"{name}.mtl": library.getvalue().encode(),
        **files,
    }
