"""What a matrix, a delay and filters do not say: stages whose gain moves with the signal or time."""

from core.errors import FonodromeError
from core.render.processors.base import Curve, Processor, Setting
from core.render.processors.convolution import ConvolutionWork
from core.render.processors.drive import DriveWork
from core.render.processors.ducker import DuckerWork
from core.render.processors.dynamics import CompressorWork, ThreeBandWork
from core.render.processors.modulation import ChorusWork, SweptWork, TremoloWork
from core.render.processors.oscillator import begin_later
from core.render.processors.reverb import ReverbWork
from core.render.processors.stand_in import StandInWork
from core.routing.document import kinds as k

_WORKS = {
    k.Compressor: CompressorWork,
    k.ThreeBand: ThreeBandWork,
    k.Ducker: DuckerWork,
    k.Tremolo: TremoloWork,
    k.Swept: SweptWork,
    k.Drive: DriveWork,
    k.Chorus: ChorusWork,
    k.Reverb: ReverbWork,
    k.Convolution: ConvolutionWork,
    k.StandIn: StandInWork,
}


def processor_for(stage: k.Stage, setting: Setting) -> Processor:
    """The processor of a stage. Raises FonodromeError for one that cannot be rendered."""
    work = _WORKS.get(type(stage))
    if work is None:
        raise FonodromeError(f"{stage.shown} ({stage.title.lower()}) cannot be rendered yet.")
    made: Processor = work(stage, setting)
    return made


__all__ = ["Curve", "Processor", "Setting", "begin_later", "processor_for"]
