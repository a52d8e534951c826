"""Practice: courses and cars that are drawn, hints, the end, the debrief, progress."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import PurePath
from random import SystemRandom

from django.contrib import messages
from django.http import Http404, HttpResponse, StreamingHttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from gumshoe.core.errors import BadInput, GumshoeError
from gumshoe.practice.cars import CARS
from gumshoe.practice.courses import courses, drawn, measured, practised_systems
from gumshoe.practice.exercise import MOST_BYTES, Exercise, read_exercise, write_exercise
from gumshoe.practice.prepared import Prepared
from gumshoe.web.accounts.models import User
from gumshoe.web.accounts.rights import Right, SignedIn, may, needs
from gumshoe.web.cases.context import find
from gumshoe.web.kit.beside import Outcome
from gumshoe.web.kit.pages import show
from gumshoe.web.kit.uploads import sent_file
from gumshoe.web.practice import progress as people
from gumshoe.web.practice import services, steps
from gumshoe.web.practice.forms import BeginForm, DrawForm
from gumshoe.web.practice.models import Attempt, Level, Own
from gumshoe.web.practice.pages import DebriefPage, EndPage, Offered, PracticePage, ProgressPage
from gumshoe.web.practice.picture import picture
from gumshoe.web.ui.responses import done_beside

MOST_OTHERS = 20


@require_GET
@needs(Right.SEE)
def practice(request: SignedIn, course: str = "") -> HttpResponse:
    """What is on hand, the courses, the cars to draw, and what is best practised next."""
    return _page(request, course)


def _page(request: SignedIn, course: str, trouble: GumshoeError | None = None, status: int = 200) -> HttpResponse:
    every = courses()
    chosen = every.get(course) or next(iter(every.values()))
    mine = Attempt.objects.filter(person=request.user).select_related("case").defer("prepared")
    last: dict[str, Attempt] = {}
    for row in mine:
        last.setdefault(row.digest, row)
    hard, own = measured(), list(services.own_exercises())
    standing = people.of_person(request.user)
    page = PracticePage(
        on_hand=[row for row in mine if row.ended is None],
        courses=every.values(),
        chosen=chosen,
        offered=[
            Offered(number, row, hard.get(row.digest), last.get(row.digest))
            for number, row in enumerate(chosen.exercises, 1)
        ],
        levels=Level.choices,
        systems=practised_systems(),
        cars=CARS,
        own=own,
        known=services.known_to(request.user, [*chosen.exercises, *(row.exercise for row in own)]),
        next=standing.next,
        next_words=people.system_names()[standing.next.system] if standing.next else "",
        seed=SystemRandom().randrange(1000, 10_000),
        wanted=request.GET.get("system", ""),
        trouble=trouble,
    )
    return show(request, page, status=status)


# -- begun ------------------------------------------------------------------------------------------------


def _begun(
    request: SignedIn, name: str, course: str, make: Callable[[], tuple[Exercise, Prepared]], level: str, back: str
) -> HttpResponse:
    """Make a car ready beside the page, and lead into its case."""
    person: User = request.user
    try:
        services.not_too_many(person)
        if level not in Level.values:
            raise BadInput("There is no such level.")
    except BadInput as error:
        messages.error(request, str(error))
        return redirect(back)

    def work() -> Outcome:
        exercise, prepared = make()
        attempt = services.begin(person, exercise, prepared, level, course)
        words = f"{attempt.case.number}: the car stands in the bay. It is eight in the morning."
        return Outcome(words, reverse("cases:complaint", args=[attempt.case_id]))

    return done_beside(request, f"Making “{name}” ready: its car is driven", back, work)


@require_POST
@needs(Right.WORK)
def begin(request: SignedIn, course: str, number: int) -> HttpResponse:
    """Begin an exercise of a course."""
    chosen, exercise = services.named(course, number)
    level, back = BeginForm.of(request).read("level"), reverse("practice:course", args=[course])
    return _begun(request, exercise.title, chosen.id, lambda: (exercise, services.ready(exercise)), level, back)


@require_POST
@needs(Right.WORK)
def draw(request: SignedIn) -> HttpResponse:
    """Draw a car by system, kind and number, as hard as wished."""
    sent, back = DrawForm.of(request), reverse("practice:practice")
    seed, hard = sent.whole("seed") or 1, sent.whole("hard")
    try:
        first = next(drawn(seed, sent.read("system"), sent.read("car")))
    except GumshoeError as error:
        return _page(request, "", error, 400)

    def make() -> tuple[Exercise, Prepared]:
        return services.one_of(drawn(seed, sent.read("system"), sent.read("car")), hard)

    return _begun(request, first.title, "", make, sent.read("level"), back)


@require_POST
@needs(Right.WORK)
def begin_own(request: SignedIn, pk: int) -> HttpResponse:
    """Begin an exercise that somebody of the shop brought in or made."""
    own = get_object_or_404(Own, pk=pk)
    exercise: Exercise = own.exercise
    level, back = BeginForm.of(request).read("level"), reverse("practice:practice")
    return _begun(request, exercise.title, "", lambda: (exercise, services.ready(exercise)), level, back)


@require_POST
@needs(Right.WORK)
def again(request: SignedIn, pk: int) -> HttpResponse:
    """The same exercise once more, or by somebody else."""
    attempt = get_object_or_404(Attempt, pk=pk)
    exercise: Exercise = attempt.exercise
    back = reverse("practice:debrief", args=[pk]) if attempt.ended else reverse("practice:practice")

    def make() -> tuple[Exercise, Prepared]:
        return exercise, services.ready(exercise)

    return _begun(request, exercise.title, attempt.course, make, attempt.level, back)


# -- files ------------------------------------------------------------------------------------------------


@require_POST
@needs(Right.WORK)
def take_in(request: SignedIn) -> HttpResponse:
    """Read an exercise file. A bad one gets the place and the reason, and nothing is taken in."""
    try:
        sent = sent_file(request, MOST_BYTES, "choose an exercise in .json")
        own = services.take_in(request.user, read_exercise(sent.content))
    except GumshoeError as error:
        return _page(request, "", error, 400)
    messages.success(request, f"“{own.exercise.title}” is among the shop's own exercises now.")
    return redirect("practice:practice")


@require_POST
@needs(Right.WORK)
def of_case(request: SignedIn, pk: int) -> HttpResponse:
    """The fault that fooled us: an exercise like a closed case, customer and car left out."""
    case = find(pk)
    try:
        own = services.take_in(request.user, services.of_case(case))
    except GumshoeError as error:
        messages.error(request, str(error))
        return redirect("reports:report", pk)
    messages.success(request, f"“{own.exercise.title}” is among the shop's own exercises now; nobody is named in it.")
    return redirect("practice:practice")


@require_POST
@needs(Right.WORK)
def hide(request: SignedIn, pk: int) -> HttpResponse:
    """Offer one of the shop's own exercises no more; attempts at it stay."""
    Own.objects.filter(pk=pk).update(hidden=True)
    messages.success(request, "It is offered no more. What was worked on it stays.")
    return redirect("practice:practice")


@require_GET
@needs(Right.SEE)
def course_file(request: SignedIn, course: str, number: int) -> HttpResponse:
    """An exercise of a course as a file, for whoever may know what is wrong."""
    exercise = services.named(course, number)[1]
    return _file(request, exercise, f"{course}-{number}")


@require_GET
@needs(Right.SEE)
def own_file(request: SignedIn, pk: int) -> HttpResponse:
    """One of the shop's own exercises as a file, for whoever may know what is wrong."""
    return _file(request, get_object_or_404(Own, pk=pk).exercise, f"own-{pk}")


def _file(request: SignedIn, exercise: Exercise, name: str) -> HttpResponse:
    if exercise.digest not in services.known_to(request.user, [exercise]):
        raise Http404
    answer = HttpResponse(write_exercise(exercise), content_type="application/json")
    answer["Content-Disposition"] = f'attachment; filename="exercise-{PurePath(name).name}.json"'
    return answer


# -- while it lasts, and after ----------------------------------------------------------------------------


def _mine(request: SignedIn, pk: int) -> Attempt:
    return get_object_or_404(Attempt.objects.select_related("case", "person"), pk=pk, person=request.user)


@require_POST
@needs(Right.WORK)
def hint(request: SignedIn, pk: int) -> HttpResponse:
    """What would be done next, for ten minutes of the clock."""
    attempt = _mine(request, pk)
    given = services.hint(attempt)
    messages.info(request, f"Hint: {given.words}")
    return redirect("bench:bench", attempt.case_id)


@needs(Right.WORK)
def end(request: SignedIn, pk: int) -> HttpResponse:
    """Ask once, then end it and make the debrief."""
    attempt = _mine(request, pk)
    if request.method != "POST":
        case = attempt.case
        page = EndPage(
            attempt=attempt,
            open_ends=[row.what for row in case.looseends.filter(closed__isnull=True)],
            proven=case.judgements.filter(verdict="proven").exists(),
            clock=steps.time_of_day(steps.clock_of(case)[0]),
        )
        return show(request, page)
    services.end(attempt)
    return _look_back(request, attempt)


def _look_back(request: SignedIn, attempt: Attempt) -> HttpResponse:
    address = reverse("practice:debrief", args=[attempt.pk])

    def work() -> Outcome:
        services.look_back(attempt)
        return Outcome(f"{attempt.case.number} is ended. This is how it went.", address)

    name = f"Looking back at {attempt.case.number}"
    return done_beside(request, name, reverse("practice:practice"), work)


@require_GET
@needs(Right.SEE)
def debrief(request: SignedIn, pk: int) -> HttpResponse:
    """One's own debrief; the lead sees everybody's."""
    rows = Attempt.objects.select_related("case", "person")
    if not may(request.user, Right.OVERRULE):
        rows = rows.filter(person=request.user)
    attempt = get_object_or_404(rows, pk=pk, ended__isnull=False)
    if attempt.told is None:  # the server was stopped before it was made
        return _look_back(request, attempt)
    others = Attempt.objects.filter(digest=attempt.digest).exclude(pk=pk).exclude(told=None).select_related("person")
    shown = (
        list(others[:MOST_OTHERS])
        if may(request.user, Right.OVERRULE)
        else [row for row in others[:MOST_OTHERS] if row.person_id == request.user.pk]
    )
    page = DebriefPage(attempt=attempt, told=attempt.told, picture=picture(attempt.told), others=shown)
    return show(request, page)


@require_GET
@needs(Right.SEE)
def progress(request: SignedIn) -> HttpResponse:
    """How somebody gets on; the lead sees the shop."""
    shop = people.of_shop() if may(request.user, Right.OVERRULE) else []
    page = ProgressPage(
        person=people.of_person(request.user),
        attempts=people.attempts_of(request.user),
        shop=shop,
        names=people.system_names(),
    )
    return show(request, page)


@require_GET
@needs(Right.SEE)
def progress_csv(request: SignedIn) -> StreamingHttpResponse:
    """One's own attempts as CSV; the lead gets the shop's."""
    everybody = User.objects.all() if may(request.user, Right.OVERRULE) else User.objects.filter(pk=request.user.pk)
    answer = StreamingHttpResponse(people.as_csv(everybody.order_by("pk")), content_type="text/csv; charset=utf-8")
    answer["Content-Disposition"] = 'attachment; filename="practice.csv"'
    return answer
