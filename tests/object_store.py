"""A small object store: as much of the protocol of S3 as Arrow speaks, in memory, on loopback."""

from __future__ import annotations

import hashlib
import re
import threading
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from urllib.parse import parse_qs, unquote, urlsplit
from xml.sax.saxutils import escape

LIST = '<?xml version="1.0"?><ListBucketResult><IsTruncated>false</IsTruncated>{}</ListBucketResult>'
WHEN = "2026-06-01T00:00:00.000Z"


class ObjectStore:
    """The objects by their paths, and the server that gives and takes them. `fail` names objects that do not arrive."""

    def __init__(self) -> None:
        self.objects: dict[str, bytes] = {}
        self.uploads: dict[str, dict[int, bytes]] = {}
        self.fail: set[str] = set()
        store = self

        class Handler(_Handler):
            own = store

        self.server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        threading.Thread(target=self.server.serve_forever, daemon=True).start()

    def url(self, path: str) -> str:
        """Return the URL of a place, with a secret in it."""
        host = f"127.0.0.1:{self.server.server_address[1]}"
        return f"s3://me:canary8@{path}?endpoint_override={host}&scheme=http&region=eu-1"

    def close(self) -> None:
        self.server.shutdown()
        self.server.server_close()


class _Handler(BaseHTTPRequestHandler):
    own: ObjectStore
    protocol_version = "HTTP/1.1"

    def log_message(self, *args: object) -> None:
        """Say nothing."""

    def _answer(self, status: int, body: bytes = b"", **headers: str) -> None:
        self.send_response(status)
        for name, value in headers.items():
            self.send_header(name.replace("_", "-"), value)
        if "Content_Length" not in headers:
            self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        if self.command != "HEAD":
            self.wfile.write(body)

    def _asked(self) -> tuple[str, dict[str, list[str]]]:
        parts = urlsplit(self.path)
        return unquote(parts.path).lstrip("/"), parse_qs(parts.query, keep_blank_values=True)

    def _body(self) -> bytes:
        if self.headers.get("Transfer-Encoding") == "chunked":
            body = b""
            while many := int(self.rfile.readline(), 16):
                body += self.rfile.read(many)
                self.rfile.readline()
            self.rfile.readline()
        else:
            body = self.rfile.read(int(self.headers.get("Content-Length", 0)))
        if "aws-chunked" not in self.headers.get("Content-Encoding", ""):
            return body
        found = b""
        while body:
            size, _, body = body.partition(b"\r\n")
            many = int(size.partition(b";")[0], 16)
            found, body = found + body[:many], body[many + 2 :] if many else b""
        return found

    def do_HEAD(self) -> None:
        path, _ = self._asked()
        if path in self.own.objects:
            self._answer(
                200,
                Content_Length=str(len(self.own.objects[path])),
                ETag='"x"',
                Last_Modified="Mon, 01 Jun 2026 00:00:00 GMT",
            )
        else:
            self._answer(200 if "/" not in path.rstrip("/") else 404)

    def do_GET(self) -> None:
        path, query = self._asked()
        if "list-type" in query or "prefix" in query:
            self._list(path, query.get("prefix", [""])[0], query.get("delimiter", [""])[0])
        elif path not in self.own.objects:
            self._answer(404, b"<Error><Code>NoSuchKey</Code></Error>")
        else:
            body = self.own.objects[path]
            told = re.fullmatch(r"bytes=(\d+)-(\d+)", self.headers.get("Range", ""))
            self._answer(206 if told else 200, body[int(told[1]) : int(told[2]) + 1] if told else body)

    def _list(self, bucket: str, prefix: str, delimiter: str) -> None:
        bucket = bucket.rstrip("/")
        told, folders = [], set()
        for path, body in sorted(self.own.objects.items()):
            key = path.removeprefix(f"{bucket}/")
            if key == path or not key.startswith(prefix):
                continue
            rest = key[len(prefix) :]
            if delimiter and delimiter in rest:
                folders.add(prefix + rest.split(delimiter)[0] + delimiter)
            else:
                told.append(
                    f"<Contents><Key>{escape(key)}</Key><Size>{len(body)}</Size><LastModified>{WHEN}</LastModified></Contents>"
                )
        told += [f"<CommonPrefixes><Prefix>{escape(each)}</Prefix></CommonPrefixes>" for each in sorted(folders)]
        self._answer(200, LIST.format("".join(told)).encode())

    def do_PUT(self) -> None:
        path, query = self._asked()
        body = self._body()
        if path.rpartition("/")[2] in self.own.fail:
            self._answer(403, b"<Error><Code>AccessDenied</Code><Message>no</Message></Error>")
            return
        if "uploadId" in query:
            self.own.uploads[query["uploadId"][0]][int(query["partNumber"][0])] = body
        elif "/" in path.rstrip("/"):
            self.own.objects[path] = body
        self._answer(200, ETag=f'"{hashlib.md5(body).hexdigest()}"')

    def do_POST(self) -> None:
        path, query = self._asked()
        body = self._body()
        if "uploads" in query:
            key = f"u{len(self.own.uploads)}"
            self.own.uploads[key] = {}
            self._answer(
                200,
                f"<InitiateMultipartUploadResult><UploadId>{key}</UploadId></InitiateMultipartUploadResult>".encode(),
            )
        elif "uploadId" in query:
            parts = self.own.uploads.pop(query["uploadId"][0])
            self.own.objects[path] = b"".join(parts[each] for each in sorted(parts))
            self._answer(200, b"<CompleteMultipartUploadResult><ETag>x</ETag></CompleteMultipartUploadResult>")
        elif "delete" in query:
            for key in re.findall(rb"<Key>(.*?)</Key>", body):
                self.own.objects.pop(f"{path.rstrip(chr(47))}/{key.decode()}", None)
            self._answer(200, b"<DeleteResult></DeleteResult>")

    def do_DELETE(self) -> None:
        self.own.objects.pop(self._asked()[0], None)
        self._answer(204)
