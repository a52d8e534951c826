"""Behind a real proxy with TLS, set up as ``deploy/nginx.conf`` says: first start, sign-in, what goes wrong where a
setting is missing. Skipped where nginx is not installed; ``run.py test`` installs it."""

from __future__ import annotations

import json
import re
import shutil
import socket
import ssl
import subprocess
import tempfile
import time
import unittest
import urllib.error
import urllib.parse
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from http.cookiejar import CookieJar
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec

from tests import shop
from tests.until import until
from tests.web.test_serving import listens, served

CONF = shop.ROOT / "deploy" / "nginx.conf"
NAME = "shop.example"


def certificate(folder: Path) -> tuple[Path, Path]:
    """A certificate for the shop's name, signed by itself."""
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(x509.NameOID.COMMON_NAME, NAME)])
    now = datetime.now(UTC)
    made = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(days=1))
        .not_valid_after(now + timedelta(days=2))
        .add_extension(x509.SubjectAlternativeName([x509.DNSName(NAME)]), critical=False)
        .sign(key, hashes.SHA256())
    )
    shown, hidden = folder / "shop.pem", folder / "shop.key"
    shown.write_bytes(made.public_bytes(serialization.Encoding.PEM))
    hidden.write_bytes(
        key.private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption())
    )
    return shown, hidden


def free() -> int:
    """A port nobody listens at."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


@contextmanager
def proxy(folder: Path, port: int, *, conf: Path = CONF, pages: int = 0) -> Iterator[tuple[int, int, Path]]:
    """nginx with a file of ``deploy/``, its ports and certificate replaced; gives its ports and the certificate.
    ``pages``: the port of a process that shows pages."""
    shown, hidden = certificate(folder)
    plain, secure = free(), free()
    text = conf.read_text(encoding="utf-8")
    put = {
        "listen 443 ssl;": f"listen 127.0.0.1:{secure} ssl;",
        "/etc/ssl/shop.example.pem": str(shown),
        "/etc/ssl/private/shop.example.key": str(hidden),
        "127.0.0.1:8010": f"127.0.0.1:{port}",
    }
    if pages:
        put |= {"server 127.0.0.1:8011;": f"server 127.0.0.1:{pages};", "    server 127.0.0.1:8012;\n": ""}
    else:
        put |= {"listen 80;": f"listen 127.0.0.1:{plain};"}
    for was, now in put.items():
        assert was in text, was
        text = text.replace(was, now)
    (folder / "shop.conf").write_text(text, encoding="utf-8")
    kinds = ("client_body", "proxy", "fastcgi", "uwsgi", "scgi")
    places = " ".join(f"{kind}_temp_path {folder}/{kind};" for kind in kinds)
    whole = folder / "nginx.conf"
    whole.write_text(
        f"daemon off; pid {folder}/pid; error_log {folder}/error.log; worker_processes 1;\n"
        f"events {{ worker_connections 64; }}\nhttp {{ access_log off; {places} include {folder}/shop.conf; }}\n",
        encoding="utf-8",
    )
    command = [str(shutil.which("nginx")), "-c", str(whole), "-p", str(folder), "-e", str(folder / "error.log")]
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True)
    try:
        until(lambda: listens(secure) or process.poll() is not None)
        assert process.poll() is None, process.stderr and process.stderr.read()
        yield plain, secure, shown
    finally:
        process.terminate()
        process.communicate(timeout=20)


class Browser:
    """A browser that knows the shop's name as this machine's, and its certificate."""

    def __init__(self, secure: int, shown: Path) -> None:
        context = ssl.create_default_context(cafile=str(shown))
        context.check_hostname = False  # the address here is a number; the name is in the certificate
        self.base = f"https://127.0.0.1:{secure}"
        self.jar = CookieJar()
        self.opener = urllib.request.build_opener(
            urllib.request.HTTPSHandler(context=context), NoRedirect(), urllib.request.HTTPCookieProcessor(self.jar)
        )
        self.cookies: dict[str, str] = {}
        self.secure: dict[str, bool] = {}

    def ask(self, path: str, form: dict[str, str] | None = None, **headers: str) -> tuple[int, str, dict[str, str]]:
        """Status, text and headers of an answer."""
        data = urllib.parse.urlencode(form).encode() if form is not None else None
        request = urllib.request.Request(self.base + path, data)
        request.add_header("Host", NAME)
        if self.cookies:
            request.add_header("Cookie", "; ".join(f"{name}={value}" for name, value in self.cookies.items()))
        if form is not None:
            request.add_header("Origin", f"https://{NAME}")
            request.add_header("Referer", f"https://{NAME}{path}")
        for name, value in headers.items():
            request.add_header(name.replace("_", "-"), value)
        try:
            answer = self.opener.open(request, timeout=30)
        except urllib.error.HTTPError as error:
            answer = error
        with answer:
            for cookie in answer.headers.get_all("Set-Cookie") or []:
                name, _, rest = cookie.partition("=")
                self.cookies[name] = rest.partition(";")[0]
                self.secure[name] = "Secure" in rest
            return answer.status, answer.read().decode(errors="replace"), dict(answer.headers)

    def sends(self, path: str, **form: str) -> tuple[int, str, dict[str, str]]:
        """A form of the page at that path, with its token."""
        token = re.search(r'name="csrfmiddlewaretoken" value="([^"]+)"', self.ask(path)[1])
        assert token
        return self.ask(path.partition("?")[0], {"csrfmiddlewaretoken": token[1], **form})


class NoRedirect(urllib.request.HTTPRedirectHandler):
    """What a page answers is looked at, not where it leads."""

    def redirect_request(self, *args: object) -> None:
        """Nowhere."""


@unittest.skipUnless(shutil.which("nginx"), "nginx is not installed here")
class BehindNginx(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory(prefix="gumshoe-proxy-")
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_from_the_first_start_to_a_signed_in_page(self) -> None:
        """TLS ends at the proxy: RFC 9110, RFC 6797 (HSTS), the X-Forwarded headers are common practice."""
        with (
            served(self.folder / "shop", GUMSHOE_TLS="1", GUMSHOE_HOSTS=NAME) as (port, code),
            proxy(self.folder, port) as (plain, secure, shown),
        ):
            browser = Browser(secure, shown)
            with self.assertRaises(urllib.error.HTTPError) as moved:
                request = urllib.request.Request(f"http://127.0.0.1:{plain}/board/?x=1", headers={"Host": NAME})
                urllib.request.build_opener(NoRedirect()).open(request)
            self.assertEqual(moved.exception.headers["Location"], f"https://{NAME}/board/?x=1")
            moved.exception.close()
            status, text, head = browser.ask("/health/")
            self.assertEqual((status, json.loads(text)), (200, {"ok": True}))
            own = {"username": "lena", "password": "three-words-or-four"}
            told = {"full_name": "Lena", "again": own["password"], "code": code, "shop_name": "Kelda Yard",
                    "currency": "£", "labour_per_hour": "72,50"}  # fmt: skip
            status, text, _ = browser.sends(f"/first-start/?code={code}", **own, **told)
            self.assertEqual(status, 302, text[-2000:])
            browser = Browser(secure, shown)
            status, text, _ = browser.sends("/sign-in/", **own)
            self.assertEqual(status, 302, text[-2000:])
            status, text, head = browser.ask("/", Accept_Encoding="gzip")
            self.assertEqual(status, 200)
            self.assertIn("max-age=31536000", head["Strict-Transport-Security"])
            self.assertEqual(head["Content-Encoding"], "gzip")
            self.assertEqual(browser.secure, {"csrftoken": True, "sessionid": True})
            self.assertNotIn("Server", {name for name, value in head.items() if "gumshoe" in value.lower()})
            foreign = browser.ask(
                "/sign-in/", {"username": "x", "csrfmiddlewaretoken": "x"}, Origin="https://evil.example"
            )
            self.assertEqual(foreign[0], 403)
            self.assertEqual(browser.ask("/", Host="evil.example")[0], 400)

    def test_who_it_was_is_told_by_the_proxy_and_by_nobody_else(self) -> None:
        """A browser that says it is somebody else is still held off by its own address."""
        shop.migrated(self.folder / "shop")
        with (
            served(self.folder / "shop", GUMSHOE_TLS="1", GUMSHOE_HOSTS=NAME) as (port, code),
            proxy(self.folder, port) as (_, secure, shown),
        ):
            browser = Browser(secure, shown)
            own = {"username": "lena", "password": "three-words-or-four"}
            told = {"full_name": "Lena", "again": own["password"], "code": code, "shop_name": "Kelda Yard",
                    "currency": "£", "labour_per_hour": "72,50"}  # fmt: skip
            self.assertEqual(browser.sends(f"/first-start/?code={code}", **own, **told)[0], 302)
            browser = Browser(secure, shown)  # somebody else's
            page = browser.ask("/sign-in/")[1]
            token = re.search(r'name="csrfmiddlewaretoken" value="([^"]+)"', page)
            assert token
            wrong = {"username": "lena", "password": "not-this-one", "csrfmiddlewaretoken": token[1]}
            tries = [browser.ask("/sign-in/", wrong, X_Forwarded_For=f"203.0.113.{n}")[0] for n in range(6)]
            self.assertEqual(tries[:4], [200] * 4)
            self.assertEqual(tries[5], 429)
            log = (self.folder / "shop" / "logs" / "gumshoe.log").read_text(encoding="utf-8")
            self.assertIn("127.0.0.1", log)
            self.assertNotIn("203.0.113", log)

    def test_without_the_setting_nobody_signs_in_and_the_page_says_why(self) -> None:
        shop.migrated(self.folder / "shop")
        with (
            served(self.folder / "shop", GUMSHOE_HOSTS=NAME) as (port, _),
            proxy(self.folder, port) as (_, secure, shown),
        ):
            browser = Browser(secure, shown)
            self.assertEqual(browser.ask("/health/")[0], 200)
            began = time.monotonic()
            answer = browser.ask("/sign-in/", {"username": "x", "password": "y", "csrfmiddlewaretoken": "z"})
            self.assertEqual(answer[0], 403)
            self.assertLess(time.monotonic() - began, 20.0)
