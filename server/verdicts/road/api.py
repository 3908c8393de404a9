"""What each setup is worth in a car: standing start, on the roll, a grade, and where to shift."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import File, Form, Query, Router
from ninja.files import UploadedFile

from programmes.plan.saving import plan_in_force
from shop.permissions import is_person, units_of
from verdicts.access import programme_of
from verdicts.comparison.aligned_pulls import compare
from verdicts.judging import selection_criteria
from verdicts.judging.schemas import ChoiceIn
from verdicts.road import lap_log
from verdicts.road.schemas import LapDutyOut, RoadIn, RoadOut, road_out
from verdicts.road.service import drive
from verdicts.road.vehicle_of import conventions_of, vehicle_of

router = Router(tags=["road"])


@router.get("/programmes/{programme_id}/road", response=RoadOut, operation_id="road")
def read_road(request: HttpRequest, programme_id: int, given: Query[RoadIn]) -> RoadOut:
    """Every setup in the car of the build sheet, or as it is tried. Refusal `no_vehicle` where too little is known."""
    assert is_person(request.user)
    programme, units = programme_of(request.user, programme_id), units_of(request.user)
    choice = given.read(programme)
    compared = compare(programme, choice.standard, choice.counting)
    rules = conventions_of(given.grip_rule, given.inertia_rule, given.torque_rule, given.rollout)
    of = vehicle_of(programme.build, given.tried(), units, float(compared.speed_rpm[0]), rules)
    beside = selection_criteria.of_setups(plan_in_force(programme), programme, request.user)
    out = selection_criteria.out_of_the_choice(compared.setups, beside)
    found = drive(compared, choice, of.vehicle, given.shift(), given.rolling(units), given.grade(units), out)
    return road_out(found, of, units)


@router.post("/programmes/{programme_id}/duty-of-log", response=LapDutyOut, operation_id="duty_of_log")
def duty_of_log(
    request: HttpRequest, programme_id: int, file: File[UploadedFile], speed_unit: Form[str] = ""
) -> LapDutyOut:
    """How long a lap, a hill or a tow holds the engine at each speed, as a duty. Nothing is kept of the log."""
    assert is_person(request.user)
    programme = programme_of(request.user, programme_id)
    compared = compare(programme, ChoiceIn().read(programme).standard)
    found = lap_log.duty_of_log(
        bytes(file.read()), programme.build, units_of(request.user), compared.speed_rpm, speed_unit
    )
    return LapDutyOut(points=[list(point) for point in found.duty.points], sentence=lap_log.sentence(found))
