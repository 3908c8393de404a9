"""The cautions of a session, in words that fit the engine and its fuel, and who has read them."""

from __future__ import annotations

from datetime import datetime

from torvix_core.engine.fuel import Fuel

from engines.sheet import sheets
from programmes.models import Programme
from shop.models import Person
from shop.permissions import require_operator
from shop.refusals import Refusal
from stand.models import Acknowledgement, Session

ALWAYS = (
    "A running test cell can maim and kill. Guards on couplings, belts and fans; extinguisher at hand; location of the "
    "fuel shut-off known to all; extraction running and carbon monoxide alarmed; hearing and eye protection worn; "
    "no loose clothing; "
    "nobody in the plane of rotation, and nobody near the starter when it engages.",
    "Exhaust, coolant and oil burn: let the engine cool before parts come off. Coolant is under pressure. Castings are "
    "heavy: two people or a lift. Fuel that is spilled or vapor in the cell is cleared before anything is switched on.",
    "After a change: every fastener torqued in the maker's sequence, no job half done, no tool or swarf in the intake, "
    "leaks looked for, the throttle travels fully and closes. With another camshaft, head or gasket the clearance from "
    "piston to valve is measured before the engine is turned; valve lash is set after the break-in.",
    "Lean mixture, detonation, low oil pressure and over-speed end an engine in seconds: watch the pull, not the "
    "screen alone. When time runs short, tests are dropped, never safety.",
)
BOOSTED = (
    "Under boost: the boost limit, exhaust temperature and knock are watched on every pull; the first pull after a "
    "change of boost is short and rich. A blower's speed is worked out for its pulley before it turns."
)
STRONG_FUELS = {
    Fuel.E85: "Ethanol fuel: its flame is pale, and it needs far more fuel than gasoline. Jets for gasoline run it "
    "lean.",
    Fuel.METHANOL: "Methanol burns with a flame that cannot be seen, and poisons through the skin: gloves, and water "
    "at hand. Jets for gasoline run it fatally lean.",
    Fuel.PROPANE: "Propane is heavier than air and gathers in pits: gas alarm on, valve shut whenever nobody runs it.",
}
LAST = (
    "A software stop is not a safety system. The stand needs its own wired emergency stop. Local codes, the stand "
    "maker's instructions and licensed practice come first; Torvix advises a qualified operator and gives no "
    "permission to run."
)


def of_programme(programme: Programme) -> list[str]:
    """What is shown before a session, a paragraph each."""
    return [*ALWAYS, *of_engine(programme)]


def of_engine(programme: Programme) -> list[str]:
    """What also goes with a sheet on paper: its boost, its fuel, and that software is no safety system."""
    fuel = sheets.word(programme.build, "fuel")
    found = []
    if programme.boost_policy:
        found.append(BOOSTED)
    if fuel in list(Fuel) and (told := STRONG_FUELS.get(Fuel(fuel))):
        found.append(told)
    return [*found, LAST]


def acknowledge(person: Person, session: Session, at: datetime) -> Acknowledgement:
    """Somebody has read them; once a person and session."""
    require_operator(person)
    words = of_programme(session.programme)
    found, _ = Acknowledgement.objects.get_or_create(
        session=session, person=person, defaults={"at": at, "words": words}
    )
    return found


def require_read(person: Person, session: Session) -> None:
    """Refuse whoever would run the engine without having read them."""
    if not session.acknowledgements.filter(person=person).exists():
        raise Refusal(f"{person}, read the cautions of this session first, and say so.", code="cautions_unread")
