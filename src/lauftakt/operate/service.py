"""An installation as a service of a Debian machine: a systemd unit that keeps it running, and nginx before it.

Both are printed, to be looked at and put in place by whoever administrates the machine; nothing is changed by itself.
"""

import getpass
import json
import sys
from dataclasses import dataclass
from pathlib import Path

# Said while nothing answers behind nginx; pages wait for it, and go on by themselves.
STARTING = {"code": "server", "message": "Lauftakt is starting again. Nothing is lost; this page goes on by itself."}


@dataclass(frozen=True)
class Service:
    """Where it runs, as whom, and by which name it is reached."""

    var: Path
    domain: str
    user: str = ""
    port: int = 8180
    workers: int = 2
    servers: int = 1
    certificate: Path | None = None
    key: Path | None = None
    upload_mb: int = 400

    @property
    def unit(self) -> str:
        """The systemd unit."""
        program = Path(sys.executable).parent / "lauftakt"
        return f"""\
# /etc/systemd/system/lauftakt.service
# Enable it with: systemctl daemon-reload && systemctl enable --now lauftakt
[Unit]
Description=Lauftakt, laps of several drivers compared
After=network.target

[Service]
Type=exec
User={self.user or getpass.getuser()}
UMask=0077
WorkingDirectory={self.var}
Environment=LAUFTAKT_PROXIES=1 LAUFTAKT_HTTPS=1 LAUFTAKT_PUBLIC_URL=https://{self.domain}
ExecStart={program} start --var {self.var} --port {self.port} --workers {self.workers} --servers {self.servers}
# It is asked to end in its own order: server, workers, database. What is left after that is ended.
KillMode=mixed
KillSignal=SIGTERM
TimeoutStopSec=150
# Its parts are watched by itself; this starts it again where it ends as a whole.
Restart=always
RestartSec=3
NoNewPrivileges=yes
PrivateTmp=yes
ProtectSystem=strict
ProtectHome=read-only
ReadWritePaths={self.var}
ProtectKernelTunables=yes
ProtectControlGroups=yes
RestrictSUIDSGID=yes
LimitNOFILE=16384

[Install]
WantedBy=multi-user.target
"""

    @property
    def nginx(self) -> str:
        """The site for nginx."""
        certificate = self.certificate or Path(f"/etc/letsencrypt/live/{self.domain}/fullchain.pem")
        key = self.key or Path(f"/etc/letsencrypt/live/{self.domain}/privkey.pem")
        said = json.dumps(STARTING).replace("'", "\\'")
        return f"""\
# /etc/nginx/sites-available/lauftakt, with a link to it in /etc/nginx/sites-enabled
# Look whether it is understood with: nginx -t
upstream lauftakt {{
    server 127.0.0.1:{self.port};
    keepalive 16;
}}

server {{
    listen 80;
    server_name {self.domain};
    return 301 https://$host$request_uri;
}}

server {{
    listen 443 ssl;
    server_name {self.domain};
    ssl_certificate {certificate};
    ssl_certificate_key {key};

    # Heads and bodies are collected here; whoever sends slowly keeps nobody else waiting.
    client_max_body_size {self.upload_mb}m;
    client_header_timeout 10s;
    client_body_timeout 20s;
    send_timeout 20s;
    proxy_request_buffering on;

    location / {{
        proxy_pass http://lauftakt;
        proxy_http_version 1.1;
        proxy_set_header Connection "";
        proxy_set_header Host $host;
        # Said anew, not handed on: nobody outside is believed who they are.
        proxy_set_header X-Forwarded-For $remote_addr;
        proxy_set_header X-Forwarded-Proto $scheme;
        proxy_set_header X-Forwarded-Host $http_host;
        proxy_connect_timeout 5s;
        proxy_read_timeout 180s;
        proxy_buffers 16 64k;
        error_page 502 504 = @starting;
    }}

    location @starting {{
        internal;
        default_type application/json;
        add_header Retry-After 3 always;
        add_header Cache-Control no-store always;
        return 503 '{said}';
    }}
}}
"""


def port_of(var: Path) -> int:
    """The port of an installation's last start; the first one it would choose, where there was none."""
    try:
        return int((var / "port").read_text())
    except (OSError, ValueError):
        return 8180
