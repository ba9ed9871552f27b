"""Where the demo shots are, and which there are."""

from pathlib import Path

from hotgravel.core.shot.faults import ShotFault

FOLDER = Path(__file__).parent / "files"
PICTURES = Path(__file__).parent / "pictures"
SUFFIX = ".shot.json"


def demo_names() -> list[str]:
    """Names as `demo:NAME` takes them."""
    return sorted(p.name.removesuffix(SUFFIX) for p in FOLDER.glob(f"*{SUFFIX}"))


def demo_picture(name: str) -> Path:
    """The picture of a demo shot that comes with the application; it may not be there."""
    return PICTURES / f"{name}.jpg"


def demo_path(name: str) -> Path:
    """The file of a demo shot. Raises `ShotFault`."""
    if name not in demo_names():
        raise ShotFault.of(f"There is no demo shot {name!r}. There are: {', '.join(demo_names())}.")
    return FOLDER / f"{name}{SUFFIX}"
