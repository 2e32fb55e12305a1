"""What stands before the site's processes and speaks to the network: nginx, from Debian's package.

It waits for slow and half-sent requests itself, so that a thread of the site is only ever taken by a whole one; hands
out the built front end; keeps the packs' words for two seconds, so that thousands of agents cost one request; and
bounds connections. Uploads are passed on as they come, as the site decides by rights and size before it reads them.
"""

import os
import shutil
import subprocess
import tempfile
from pathlib import Path

from .places import VAR, WEB, say
from .services import Services

PLACE = VAR / "nginx"
"""Where the program lies when Debian's package is not installed: unpacked, so that no service of its own is started."""

LIBRARIES = ("libpcre2-8-0", "libssl3", "zlib1g", "libcrypt1")

HEADER_SECONDS, BODY_SECONDS, ANSWER_SECONDS = 15, 20, 75
"""For a whole header, between two reads of a body, and for the site's answer."""

UPLOADS = "|".join(
    (
        "packs/[^/]+/(files|files/many|own-files|draft/folder|listing|to-sign/file|lead/file)",
        "crews/[^/]+/openings",
        "games/.*(folder|archive)",
        "installations/[^/]+/brought",
    )
)
"""Doors below /api/ that take large bodies."""

CONNECTIONS_EACH = 200
"""From one address: a crew behind one proxy, with an agent and a browser each."""


def program() -> str:
    """The path of nginx, installed or unpacked. Raises SystemExit where it cannot be had."""
    found = shutil.which("nginx", path=f"{os.environ.get('PATH', '')}:/usr/sbin")
    unpacked = PLACE / "usr" / "sbin" / "nginx"
    if not found and not unpacked.exists():
        _unpack()
    return found or str(unpacked)


def _unpack() -> None:
    say("fetching nginx from Debian's packages")
    quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
    as_root = [] if os.geteuid() == 0 else ["sudo"]
    with tempfile.TemporaryDirectory() as place:
        fetch = ["apt-get", "-q", "download", "nginx"]
        if subprocess.run(fetch, cwd=place, **quiet).returncode:  # type: ignore[call-overload]
            subprocess.run([*as_root, "apt-get", "-q", "-y", "update"], check=True, **quiet)  # type: ignore[call-overload]
            subprocess.run(fetch, cwd=place, check=True, **quiet)  # type: ignore[call-overload]
        [package] = Path(place).glob("nginx_*.deb")
        subprocess.run(["dpkg", "-x", str(package), str(PLACE)], check=True)
    needs = subprocess.run(["ldd", str(PLACE / "usr/sbin/nginx")], capture_output=True, text=True).stdout
    if "not found" in needs:
        install = [*as_root, "env", "DEBIAN_FRONTEND=noninteractive", "apt-get", "-q", "-y", "install"]
        subprocess.run([*install, "--no-install-recommends", *LIBRARIES], check=True, stdout=subprocess.DEVNULL)


def start_front(services: Services, name: str, bind: str, site_socket: Path, data: Path) -> None:
    """Starts it. `bind`: address and port, or `unix:` and a path; `site_socket`: where the site's processes listen."""
    place = data / name
    for each in ("body", "proxy", "words", "other"):
        (place / each).mkdir(parents=True, exist_ok=True)
    config = place / "nginx.conf"
    config.write_text(configuration(bind, site_socket, place))
    # Nobody is answered before there is somebody to answer.
    services.wait_for(name, site_socket.exists)
    command = [program(), "-c", str(config), "-p", str(place), "-e", "stderr"]
    services.start(name, command)


def configuration(bind: str, site_socket: Path, place: Path) -> str:
    user = "user root;" if os.geteuid() == 0 else ""
    return f"""{user}
daemon off;
pid {place}/pid;
worker_processes 1;
worker_rlimit_nofile 16384;
error_log stderr warn;
events {{ worker_connections 8000; }}
http {{
  access_log off;
  server_tokens off;
  types {{ text/html html; text/css css; text/javascript js; application/json json map; image/svg+xml svg;
           image/png png; font/woff2 woff2; application/octet-stream whl; }}
  default_type application/octet-stream;
  sendfile on;
  tcp_nopush on;
  client_header_timeout {HEADER_SECONDS}s;
  client_body_timeout {BODY_SECONDS}s;
  send_timeout 30s;
  keepalive_timeout 30s;
  reset_timedout_connection on;
  client_max_body_size 5m;
  client_body_temp_path {place}/body;
  proxy_temp_path {place}/proxy;
  fastcgi_temp_path {place}/other;
  uwsgi_temp_path {place}/other;
  scgi_temp_path {place}/other;
  limit_conn_zone $binary_remote_addr zone=each:10m;
  limit_conn each {CONNECTIONS_EACH};
  limit_conn_status 429;
  proxy_cache_path {place}/words levels=1 keys_zone=words:10m max_size=256m inactive=10m use_temp_path=off;
  upstream site {{ server unix:{site_socket} fail_timeout=0; keepalive 16; }}
  proxy_http_version 1.1;
  proxy_set_header Connection "";
  proxy_set_header Host $http_host;
  proxy_set_header X-Forwarded-For $proxy_add_x_forwarded_for;
  proxy_read_timeout {ANSWER_SECONDS}s;
  proxy_send_timeout 30s;
  server {{
    listen {bind} backlog=1024;
    location /assets/ {{
      root {WEB / "dist"};
      gzip_static on;
      expires max;
      add_header Cache-Control "public, immutable";
      add_header X-Content-Type-Options nosniff;
    }}
    location /statements/ {{
      proxy_cache words;
      proxy_cache_key $uri;
      proxy_cache_valid 200 2s;
      proxy_cache_valid 404 2s;
      proxy_cache_lock on;
      proxy_cache_use_stale error timeout updating http_500 http_502 http_503;
      proxy_cache_background_update on;
      proxy_pass http://site;
    }}
    location ~ ^/api/({UPLOADS})$ {{
      client_max_body_size 0;
      proxy_request_buffering off;
      proxy_read_timeout 600s;
      proxy_pass http://site;
    }}
    location / {{ proxy_pass http://site; }}
  }}
}}
"""
