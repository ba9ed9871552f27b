"""The formats that a run is handed over in."""

from hotgravel.core.exchange.exr import write_exr
from hotgravel.core.exchange.film import write_film, write_pictures, write_still
from hotgravel.core.exchange.gltf import write_animation, write_gltf
from hotgravel.core.exchange.obj import write_obj
from hotgravel.core.exchange.ply import write_ply
from hotgravel.core.exchange.table import write_csv
from hotgravel.core.exchange.take import Writer
from hotgravel.core.exchange.usd import write_usd, write_usd_nodes
from hotgravel.core.exchange.vdb import write_npz, write_vdb, write_vdb_half

# Name to what it holds, in words, and what writes it.
WRITERS: dict[str, tuple[str, Writer]] = {
    "ply": ("particles with all that a run keeps of them, bodies as meshes; a file a frame for each", write_ply),
    "obj": (
        "props, skins, bodies and soft things as meshes, particles as points; a file a frame",
        write_obj,
    ),
    "gltf": ("props, skins, bodies, and particles with all that a run keeps of them; a .glb a frame", write_gltf),
    "animation": ("props and bodies that move, as animated nodes; one .glb", write_animation),
    "usd": (
        "props that move, skins, bodies and particles with all that a run keeps of them; one file with time samples",
        write_usd,
    ),
    "usd_nodes": (
        "the same, but each body as a node of its own that moves; one file with time samples",
        write_usd_nodes,
    ),
    "vdb": ("smoke: density, temperature, flames and velocity, as OpenVDB grids; a file a frame", write_vdb),
    "vdb_half": ("the same in half the room: 16 bits a number", write_vdb_half),
    "npz": ("the air of smoke, in NumPy's .npz, which Add, imported file takes in; a file a frame", write_npz),
    "exr": ("wide water: heights, shifts, normals and foam, as OpenEXR; a file a frame", write_exr),
    "still": ("one picture of the stage, PNG, of the first of the frames", write_still),
    "png": ("pictures of the stage, PNG; a file a frame", write_pictures),
    "mp4": ("a film of the stage, H.264", write_film),
    "csv": ("gauges of every frame, all events, and bodies frame by frame, as tables", write_csv),
}
