"""What the interpreter that has a compute service runs: all of its parts in one process, which speak within it.

Its arguments are its configuration, its own port, and that of a stand-in, which answers for the image and network
services: one image whatever is asked for, and empty lists.
"""

SERVED = """
import json
import sys
import threading
from socketserver import ThreadingMixIn
from wsgiref.simple_server import WSGIServer, make_server

from nova import monkey_patch

monkey_patch.patch(backend="threading")

config, port, stand_in_port = sys.argv[1], *map(int, sys.argv[2:])
sys.argv = ["nova", "--config-file", config]

import os_vif
from nova import context, service
from nova.compute import rpcapi as compute
from nova.conductor import rpcapi as conductor
from nova.objects import host_mapping
from nova.scheduler import rpcapi as scheduler
from nova.wsgi.osapi_compute import application  # which reads the configuration

MADE = "2026-01-01T00:00:00Z"
IMAGE = {
    "id": "", "name": "tiny", "status": "active", "visibility": "public", "size": 1, "min_ram": 0, "min_disk": 0,
    "disk_format": "raw", "container_format": "bare", "created_at": MADE, "updated_at": MADE, "tags": [],
    "protected": False, "owner": "nobody", "checksum": "none", "os_hidden": False,
}  # fmt: skip


class Threads(ThreadingMixIn, WSGIServer):
    daemon_threads = True


def stand_in(environ, start):
    path = environ["PATH_INFO"].rstrip("/").removesuffix(".json")
    if path.startswith("/v2/images/"):
        answer = {**IMAGE, "id": path.rsplit("/", 1)[1]}
    elif path == "/v2/schemas/image":
        answer = {"name": "image", "properties": {each: {} for each in IMAGE}}
    elif path in ("", "/v2", "/v2.0"):
        answer = {"versions": [{"id": "v2.0", "status": "CURRENT", "links": []}]}
    else:
        answer = {path.rsplit("/", 1)[1].replace("-", "_"): []}
    start("200 OK", [("Content-Type", "application/json")])
    return [json.dumps(answer).encode()]


beside = make_server("127.0.0.1", stand_in_port, stand_in, server_class=Threads)
threading.Thread(target=beside.serve_forever, daemon=True).start()
os_vif.initialize()
service.Service.create(binary="nova-conductor", topic=conductor.RPC_TOPIC).start()
service.Service.create(binary="nova-scheduler", topic=scheduler.RPC_TOPIC).start()
service.Service.create(binary="nova-compute", topic=compute.RPC_TOPIC, topic_alt=compute.RPC_TOPIC_ALT).start()
host_mapping.discover_hosts(context.get_admin_context())
make_server("127.0.0.1", port, application, server_class=Threads).serve_forever()
"""
