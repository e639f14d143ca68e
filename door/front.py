"""What stands before the web processes: it takes requests in whole, so that who sends slowly holds none of
them, and gives answers out at the pace of who reads them (nginx, as Debian packages it).
"""

import json
import os
from pathlib import Path

from setup import NGINX

WHOLE_MB = 32
"""More than the largest request (a piece of 8 MB, a page of pictures): that is refused by the application."""

_SAID = {
    408: "This request took too long to come in. Nothing was changed.",
    413: "This is more than one request may hold. Nothing was changed.",
    502: "The server is just starting. Try again in a moment; nothing was changed.",
    504: "This took too long. Try again; what was kept before is kept.",
}


def _problem(status: int, sentence: str) -> str:
    shape = {"type": f"urn:fonodrome:{status}", "title": "Not answered", "status": status}
    return json.dumps({**shape, "detail": sentence})


def configuration(folder: Path, log: Path, port: int, behind: int) -> str:
    """The text of its configuration: listens on `port`, asks `behind`; its files lie in `folder`."""
    who = "user www-data;" if os.geteuid() == 0 else ""
    errors = "\n".join(
        f"    error_page {status} @said{status};\n"
        f"    location @said{status} {{ default_type application/problem+json; "
        f"return {status} '{_problem(status, sentence)}'; }}"
        for status, sentence in _SAID.items()
    )
    rooms = "\n".join(
        f"  {name}_temp_path {folder}/{name};"
        for name in ("client_body", "proxy", "fastcgi", "uwsgi", "scgi")
    )
    return f"""{who}
daemon off;
worker_processes 1;
pid {folder}/pid;
error_log {log} crit;
worker_rlimit_nofile 8192;
events {{ worker_connections 4000; }}
http {{
{rooms}
  access_log off;
  server_tokens off;
  client_header_timeout 15s;
  client_body_timeout 20s;
  send_timeout 60s;
  keepalive_timeout 60s;
  reset_timedout_connection on;
  client_max_body_size {WHOLE_MB}m;
  client_body_buffer_size 256k;
  large_client_header_buffers 4 16k;
  server {{
    listen 127.0.0.1:{port} backlog=1024;
{errors}
    location / {{
      proxy_pass http://127.0.0.1:{behind};
      proxy_http_version 1.1;
      proxy_set_header Host $http_host;
      proxy_set_header Connection close;
      proxy_set_header X-Forwarded-For $proxy_add_x_forwarded_for;
      proxy_request_buffering on;
      proxy_buffers 16 64k;
      proxy_buffer_size 64k;
      proxy_busy_buffers_size 128k;
      proxy_read_timeout 125s;
      proxy_next_upstream off;
      proxy_force_ranges on;
    }}
  }}
}}
"""


def command(folder: Path, log: Path, port: int, behind: int) -> list[str]:
    """Lay its folder out, which its user may enter; what starts it."""
    folder.chmod(0o755)
    written = folder / "nginx.conf"
    written.write_text(configuration(folder, log, port, behind))
    return [str(NGINX), "-p", str(folder), "-c", str(written), "-e", str(log)]
