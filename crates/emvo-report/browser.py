"""A browser without a window, driven as a person does: keys, clicks, files.

It is spoken to through a pipe (Chrome DevTools Protocol, one JSON document after the other,
each ended by a zero byte), so nothing listens on the network.
"""

import base64
import json
import os
import shutil
import subprocess
import tempfile
import time
from pathlib import Path

PATIENCE = 30  # seconds


def find_browser():
    for name in ("chromium", "chromium-browser"):
        if path := shutil.which(name):
            return path
    subprocess.run("apt-get update -qq && apt-get install -y -qq chromium", shell=True, check=True, stdout=subprocess.DEVNULL)
    return shutil.which("chromium")


class Browser:
    """A page in a browser; what it saves goes into `folder`."""

    def __init__(self, width=1280, height=800):
        self.folder = Path(tempfile.mkdtemp())
        self.downloads = self.folder / "downloads"
        self.downloads.mkdir()
        to_read, self.out = os.pipe()
        self.answers, to_write = os.pipe()
        # It reads from 3 and writes to 4.
        command = 'exec 3<&"$1" 4>&"$2"; shift 2; exec "$@"'
        options = ["--headless=new", "--no-sandbox", "--disable-gpu", "--remote-debugging-pipe", f"--user-data-dir={self.folder}/profile"]
        self.process = subprocess.Popen(
            ["bash", "-c", command, "bash", str(to_read), str(to_write), find_browser(), *options],
            pass_fds=(to_read, to_write), stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        )
        os.close(to_read)
        os.close(to_write)
        self.rest, self.number, self.events, self.session = b"", 0, [], None
        target = self.ask("Target.createTarget", url="about:blank")["targetId"]
        self.session = self.ask("Target.attachToTarget", targetId=target, flatten=True)["sessionId"]
        self.ask("Page.enable")
        self.ask("Runtime.enable")
        self.size(width, height)

    def __enter__(self):
        return self

    def __exit__(self, *_):
        self.process.kill()
        self.process.wait()
        shutil.rmtree(self.folder, ignore_errors=True)

    def receive(self):
        end = time.monotonic() + PATIENCE
        while b"\0" not in self.rest:
            assert time.monotonic() < end, "the browser does not answer"
            some = os.read(self.answers, 1 << 16)
            assert some, "the browser has ended"
            self.rest += some
        message, self.rest = self.rest.split(b"\0", 1)
        return json.loads(message)

    def ask(self, method, **parameters):
        self.number += 1
        message = {"id": self.number, "method": method, "params": parameters}
        if self.session:
            message["sessionId"] = self.session
        os.write(self.out, json.dumps(message).encode() + b"\0")
        while True:
            answer = self.receive()
            if answer.get("id") == self.number:
                assert "error" not in answer, f"{method}: {answer['error']}"
                return answer["result"]
            self.events.append(answer)

    def wait_for(self, method, **wanted):
        while True:
            for at, event in enumerate(self.events):
                if event.get("method") == method and all(event["params"].get(key) == value for key, value in wanted.items()):
                    return self.events.pop(at)["params"]
            self.events.append(self.receive())

    def size(self, width, height):
        self.ask("Emulation.setDeviceMetricsOverride", width=width, height=height, deviceScaleFactor=1, mobile=width < 600)

    def open(self, path):
        self.events.clear()
        self.ask("Page.navigate", url=Path(path).resolve().as_uri())
        self.wait_for("Page.loadEventFired")

    def value(self, script):
        """What an expression is worth in the page."""
        answer = self.ask("Runtime.evaluate", expression=script, returnByValue=True, awaitPromise=True, userGesture=True)
        assert "exceptionDetails" not in answer, answer["exceptionDetails"]
        return answer["result"].get("value")

    def press(self, *keys):
        for key in keys:
            text = {"text": key} if len(key) == 1 else {}
            self.ask("Input.dispatchKeyEvent", type="keyDown", key=key, **text)
            self.ask("Input.dispatchKeyEvent", type="keyUp", key=key)

    def choose_file(self, selector, path):
        node = self.ask("Runtime.evaluate", expression=f"document.querySelector({json.dumps(selector)})")["result"]["objectId"]
        self.ask("DOM.setFileInputFiles", files=[str(Path(path).resolve())], objectId=node)

    def save(self, script):
        """The file that is saved when a script has run."""
        session, self.session = self.session, None
        self.ask("Browser.setDownloadBehavior", behavior="allow", downloadPath=str(self.downloads), eventsEnabled=True)
        self.session = session
        self.value(script)
        name = self.wait_for("Browser.downloadWillBegin")["suggestedFilename"]
        self.wait_for("Browser.downloadProgress", state="completed")
        return self.downloads / name

    def picture(self, path):
        data = self.ask("Page.captureScreenshot", format="png")["data"]
        Path(path).write_bytes(base64.b64decode(data))

    def said(self):
        """What the page has complained of: a script that failed or was not allowed."""
        kinds = ("Runtime.exceptionThrown", "Log.entryAdded")
        return [event["params"] for event in self.events if event.get("method") in kinds]
