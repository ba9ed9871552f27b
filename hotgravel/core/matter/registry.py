"""The matters that there are. Each is registered here, once."""

from hotgravel.core.matter.contract import Matter
from hotgravel.core.matter.front.matter import FrontMatter
from hotgravel.core.matter.froth.matter import FrothMatter
from hotgravel.core.matter.liquid.matter import LiquidMatter
from hotgravel.core.matter.particles.matter import ParticleMatter
from hotgravel.core.matter.rigid.matter import RigidMatter
from hotgravel.core.matter.slosh.matter import SloshMatter
from hotgravel.core.matter.smoke.matter import SmokeMatter
from hotgravel.core.matter.soft.matter import SoftMatter
from hotgravel.core.matter.water.matter import WaterMatter
from hotgravel.core.matter.wetness.matter import WetnessMatter

MATTERS: dict[str, Matter] = {}


def register(matter: Matter) -> None:
    """Give a matter its seat."""
    MATTERS[matter.name] = matter


for _matter in (
    FrontMatter(),
    SmokeMatter(),
    LiquidMatter(),
    FrothMatter(),
    WaterMatter(),
    SoftMatter(),
    RigidMatter(),
    SloshMatter(),
    ParticleMatter(),
    WetnessMatter(),
):  # in the order of a frame
    register(_matter)
