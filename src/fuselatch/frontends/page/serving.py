"""Serve the page: an ASGI application, and a server of our own for one form."""

from __future__ import annotations

import asyncio
import contextlib
import json
import re
import socket
import threading
from collections.abc import Callable, Iterable, Mapping
from functools import cache
from pathlib import Path
from time import monotonic
from types import MappingProxyType
from typing import TYPE_CHECKING, Final, NamedTuple

from fuselatch.core.model.json_text import json_text
from fuselatch.core.model.pictures import Picture
from fuselatch.core.model.texts import user_text
from fuselatch.formats import locale_formats
from fuselatch.frontends.crew import Crew
from fuselatch.frontends.messages import WrongMessage, message_of
from fuselatch.frontends.page.assets import Asset, asset_of, assets, name_of_asset
from fuselatch.frontends.page.guards import (
    COOKIE,
    HEADERS,
    OneTimeToken,
    Refusal,
    must_come_from_here,
    new_secret,
    same_secret,
)
from fuselatch.frontends.page.themes import Theme
from fuselatch.frontends.stage import Stage
from fuselatch.scenes import Scene

try:
    import uvicorn
    from starlette.applications import Starlette
    from starlette.requests import HTTPConnection, Request
    from starlette.responses import PlainTextResponse, RedirectResponse, Response
    from starlette.routing import Route, WebSocketRoute
    from starlette.websockets import WebSocket, WebSocketDisconnect
except ImportError as error:
    raise ImportError(f"pages need more packages ({error.name}): pip install 'fuse-latch[page]'") from None

if TYPE_CHECKING:
    from jinja2 import Template

PAGE_TEXTS: Final = (
    "close", "list", "forms", "over", "lost", "elsewhere", "script", "first", "previous", "next", "last", "new", "save",
    "remove", "records", "go_to", "looks_on", "add_line", "remove_line", "move_up", "move_down",
    "late", "calendar", "unusable", "depends_on", "to_check", "too_long", "not_taken", "stalled", "empty", "rows",
    "searching", "done_accepted", "done_cancelled", "cancel_call",
)  # fmt: skip
HERE: Final = Path(__file__).parent
LARGEST_FRAME: Final = 128 * 1024
"""The largest message from a browser, in bytes."""
LONGEST_TAB: Final = 64
BEAT: Final = "beat"
PATIENT: Final = 20.0
"""The seconds that a picture may take, since the session may be at work."""
MOST_A_SECOND: Final = 200
"""The gestures a second that are taken from one browser. What comes faster waits."""
MOST_WAITING: Final = 1_000
"""The messages of a browser that may wait for a session. One that sends more is cut off."""
PROCESS: Final = re.compile(r"[A-Za-z0-9-]{1,32}")
HOME: Final = "127.0.0.1"


class Seat(NamedTuple):
    """One browser at one stage: the secret in its address, and that of its cookie."""

    stage: Stage
    cookie: str


class Looks(NamedTuple):
    """A theme as it is served: its files by name, the names of its style and its logo ("" for none), and the logo's text."""

    files: Mapping[str, Asset]
    style: str
    logo: str
    logo_text: str

    @staticmethod
    def of(theme: Theme | None) -> Looks:
        """Return a theme as it is served. Raises what reading its logo raises."""
        if theme is None:
            return Looks({}, "", "", "")
        style, picture = asset_of(theme.style().encode(), ".css", "text/css"), theme.picture()
        logo = {} if picture is None else asset_of(picture.data, "", picture.kind)
        return Looks({**style, **logo}, next(iter(style)), next(iter(logo), ""), theme.logo_text)


class Seats:
    """The stages that are shown, by the secret in their address. `process` stands before the secret."""

    def __init__(self, hosts: Iterable[str] | None, process: str = "", theme: Theme | None = None) -> None:
        self.looks = Looks.of(theme)
        self.hosts = None if hosts is None else frozenset(hosts)
        self.begins = f"{process}." if process else ""
        self.taken: dict[str, Seat] = {}

    def take(self, stage: Stage, request: Request) -> Response:
        """Give a browser a seat at a stage: a cookie, and the address of its own."""
        base = request.scope.get("root_path", "")
        for name in [name for name, seat in self.taken.items() if seat.stage.over]:
            del self.taken[name]
        name, cookie = self.begins + new_secret(), new_secret()
        self.taken[name] = Seat(stage, cookie)
        answer = RedirectResponse(f"{base}/at/{name}/", status_code=303, headers=dict(HEADERS))
        answer.set_cookie(
            COOKIE, cookie, path=f"{base}/at/{name}/", httponly=True, samesite="strict", secure=request.url.scheme == "https"
        )
        return answer

    def seat_of(self, connection: HTTPConnection, socket: bool = False) -> Seat:
        """Return the seat of a request. Raises `Refusal`."""
        must_come_from_here(connection.headers, self.hosts, socket)
        seat = self.taken.get(connection.path_params["name"])
        if seat is None or not same_secret(connection.cookies.get(COOKIE, ""), seat.cookie):
            raise Refusal("this form isn't open in this browser")
        return seat


def plain_answer(text: str, status: int) -> Response:
    return PlainTextResponse(f"{text}\n", status_code=status, headers=dict(HEADERS))


def refused(refusal: Refusal) -> Response:
    return plain_answer(f"Refused: {refusal}.", 403)


@cache
def template() -> Template:
    from jinja2 import Environment, FileSystemLoader

    return Environment(loader=FileSystemLoader(HERE / "templates"), autoescape=True).get_template("page.html")


def texts_in(locale: str) -> Mapping[str, str]:
    """Return what the page says itself, in a locale's language."""
    formats = locale_formats(locale)
    return {name: user_text(formats, f"page.{name}") for name in PAGE_TEXTS}


def answer_page(seat: Seat, looks: Looks) -> Response:
    scene = seat.stage.scene
    form = scene.form
    texts = texts_in(scene.locale)
    title = form._plan.title if form is not None and isinstance(form._plan.title, str) else texts["forms"]
    direction = getattr(locale_formats(scene.locale), "direction", "ltr")
    files = {kind: name_of_asset(f".{kind}") for kind in ("js", "css", "svg")}
    language = scene.locale.replace("_", "-")
    text = template().render(title=title, language=language, direction=direction, texts=texts, files=files, looks=looks)
    return Response(text, media_type="text/html", headers=dict(HEADERS))


def answer_asset(name: str, packs: bool, more: Mapping[str, Asset] = MappingProxyType({})) -> Response:
    """Answer with a file of the page, or of `more`. Its name says what is in it, so that it can be kept for good."""
    asset = assets().get(name) or more.get(name)
    if asset is None:
        return plain_answer("Not found.", 404)
    headers = {**HEADERS, "Cache-Control": "public, max-age=31536000, immutable", "Vary": "Accept-Encoding"}
    if packs:
        headers["Content-Encoding"] = "gzip"
    return Response(asset.packed if packs else asset.data, media_type=asset.kind, headers=headers)


async def answer_picture(stage: Stage, id: str) -> Response:
    """Answer with a picture that the user sees. Any other can't be had."""
    loop = asyncio.get_running_loop()
    found: asyncio.Future[Picture | None] = loop.create_future()

    def give(picture: Picture | None) -> None:
        if not found.done():
            found.set_result(picture)

    def tell(picture: Picture | None) -> None:
        with contextlib.suppress(RuntimeError):  # the server has stopped
            loop.call_soon_threadsafe(give, picture)

    stage.picture(id, tell)
    try:
        picture = await asyncio.wait_for(found, PATIENT)
    except TimeoutError:
        picture = None
    if picture is None:
        return plain_answer("Not found.", 404)
    return Response(picture.data, media_type=picture.kind, headers=dict(HEADERS))


class Pace:
    """Holds a browser to a number of messages a second; that many may come at once."""

    def __init__(self, most: int) -> None:
        self.most = most
        self._left = float(most)
        self._at = monotonic()

    async def keep(self) -> None:
        """Wait until the next message may be taken."""
        now = monotonic()
        self._left = min(self.most, self._left + (now - self._at) * self.most) - 1
        self._at = now
        if self._left < 0:
            await asyncio.sleep(-self._left / self.most)


async def follow(live: WebSocket, stage: Stage) -> None:
    """Connect a browser with a stage until one of them ends it."""
    tab = live.query_params.get("tab", "")[:LONGEST_TAB]
    loop = asyncio.get_running_loop()
    told: asyncio.Queue[Mapping[str, object]] = asyncio.Queue()
    pace = Pace(MOST_A_SECOND)

    def tell(data: Mapping[str, object]) -> None:
        with contextlib.suppress(RuntimeError):  # the server has stopped
            loop.call_soon_threadsafe(told.put_nowait, data)

    async def send() -> None:
        while True:
            data = await told.get()
            await live.send_text(json_text(data))
            if "over" in data:
                return

    async def receive() -> None:
        while True:
            text = await live.receive_text()
            await pace.keep()
            if text == BEAT:
                # A handler may be at work; the line is there.
                told.put_nowait({BEAT: True})
                continue
            if len(text) > LARGEST_FRAME:
                raise WrongMessage("the message is too long")
            if stage.backlog > MOST_WAITING:
                raise WrongMessage("too many messages wait")
            stage.send(message_of(json.loads(text)), tell)

    stage.join(tell, tab)
    if stage.over:
        tell(stage.last_word)
    tasks = [asyncio.create_task(send()), asyncio.create_task(receive())]
    try:
        done, _ = await asyncio.wait(tasks, return_when=asyncio.FIRST_COMPLETED)
        for task in done:
            task.result()
        await live.close(1000)
    except (WebSocketDisconnect, RuntimeError):
        pass
    except ValueError as error:
        with contextlib.suppress(RuntimeError):
            await live.close(1008, str(error)[:100])
    finally:
        stage.part(tell)
        for task in tasks:
            task.cancel()


def pages(seats: Seats, enter: Callable[[Request], Response]) -> Starlette:
    """Return the application: `enter` answers at its root."""

    async def root(request: Request) -> Response:
        try:
            must_come_from_here(request.headers, seats.hosts, False)
            return await asyncio.to_thread(enter, request)
        except Refusal as refusal:
            return refused(refusal)

    async def page(request: Request) -> Response:
        try:
            return answer_page(seats.seat_of(request), seats.looks)
        except Refusal as refusal:
            return refused(refusal)

    async def file(request: Request) -> Response:
        packs = "gzip" in request.headers.get("accept-encoding", "")
        return answer_asset(request.path_params["file"], packs, seats.looks.files)

    async def picture(request: Request) -> Response:
        try:
            seat = seats.seat_of(request)
        except Refusal as refusal:
            return refused(refusal)
        return await answer_picture(seat.stage, request.path_params["id"])

    async def live(websocket: WebSocket) -> None:
        try:
            seat = seats.seat_of(websocket, socket=True)
        except Refusal:
            await websocket.close(1008)
            return
        await websocket.accept()
        await follow(websocket, seat.stage)

    async def icon(request: Request) -> Response:
        return answer_asset(name_of_asset(".svg"), False)

    return Starlette(
        routes=[
            Route("/", root),
            Route("/favicon.ico", icon),
            Route("/at/{name}/", page),
            Route("/at/{name}/picture-{id}", picture),
            Route("/static/{file}", file),
            WebSocketRoute("/at/{name}/live", live),
        ]
    )


def app(
    open_scene: Callable[[object], Scene],
    *,
    allowed_hosts: Iterable[str] | None = None,
    threads: int = 4,
    most: int = 1_000,
    unused: float | None = 30 * 60,
    longest: float | None = 12 * 60 * 60,
    process: str = "",
    theme: Theme | None = None,
) -> Starlette:
    """Return an ASGI application that opens a form for each visitor: `app(lambda request: Scene(BookingForm, user=…))`.

    Mount it into your web application, which knows who the user is. `open_scene` gets the Starlette request and returns the
    scene. `allowed_hosts`: the hosts with ports that may be asked for; None: your application checks that itself.
    `threads`: the number of threads for all sessions; each session stays on its thread. `most`: the sessions that may be
    open at once. A session closes as cancelled after `unused` seconds without a gesture, after `longest` seconds in all,
    and after half a minute without a page; None: never. `process`: a name that is in the addresses of its sessions, by
    which a proxy in front of several processes finds the right one (docs/serving.md); letters, digits and "-". `theme`: how
    the pages look.

    Raises `ValueError` for another name.
    """
    if process and not PROCESS.fullmatch(process):
        raise ValueError(f"process={process!r}: use letters, digits and '-', as in 'p1'")
    seats = Seats(allowed_hosts, process, theme)
    crew = Crew(threads)

    def enter(request: Request) -> Response:
        if len(crew) >= most:
            return plain_answer("As many forms are open as can be shown. Try again later.", 503)
        stage = Stage(open_scene(request), unused=unused, longest=longest)
        crew.take(stage)
        return seats.take(stage, request)

    return pages(seats, enter)


class Server:
    """A server for one stage, on a thread of its own, for this computer only. Its address lets one browser in, once."""

    def __init__(self, stage: Stage, port: int = 0, theme: Theme | None = None) -> None:
        self._socket = socket.socket(socket.AF_INET, socket.SOCK_STREAM)
        self._socket.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            self._socket.bind((HOME, port))
        except OSError as error:
            self._socket.close()
            raise OSError(f"can't use port {port} ({error.strerror}); leave it out for a free one") from None
        # At once, so that a browser that is quicker than the server waits for it.
        self._socket.listen(64)
        self.port = int(self._socket.getsockname()[1])
        self.token = OneTimeToken()
        seats = Seats([f"{HOME}:{self.port}", f"localhost:{self.port}"], theme=theme)

        def enter(request: Request) -> Response:
            self.token.use(request.query_params.get("token", ""))
            return seats.take(stage, request)

        config = uvicorn.Config(
            pages(seats, enter),
            log_level="error",
            access_log=False,
            lifespan="off",
            ws="websockets-sansio",
            ws_max_size=LARGEST_FRAME,
            server_header=False,
            timeout_graceful_shutdown=2,
        )
        self._server = uvicorn.Server(config)
        self._thread = threading.Thread(
            target=self._server.run, kwargs={"sockets": [self._socket]}, name="fuselatch-page", daemon=True
        )

    @property
    def address(self) -> str:
        """The address to open, with the one-time token."""
        return f"http://{HOME}:{self.port}/?token={self.token.text}"

    def __enter__(self) -> Server:
        self._thread.start()
        return self

    def __exit__(self, *raised: object) -> None:
        self._server.should_exit = True
        self._thread.join(5)
        self._socket.close()
