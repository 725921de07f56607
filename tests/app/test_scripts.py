"""The scripts that bring Kessa up: from nothing, after a crash, and down again."""

import os
import signal
import socket
import subprocess
import tempfile
import time
import urllib.request
from pathlib import Path
from unittest import TestCase

import psycopg
from django.conf import settings

ROOT = Path(settings.ROOT)
WITHOUT = ("DATABASE_URL", "DJANGO_SETTINGS_MODULE", "PORT")


class Scripts(TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory(prefix="kessa-")
        self.addCleanup(folder.cleanup)
        self.state = Path(folder.name)
        self.state.chmod(0o755)
        self.env = {key: value for key, value in os.environ.items() if key not in WITHOUT}
        self.env["KESSA_STATE"] = folder.name
        self.addCleanup(self.database, "stop", check=False)

    def database(self, act, check=True, **env):
        """Run bin/database on a cluster of this test's own."""
        done = subprocess.run(
            [ROOT / "bin" / "database", act], env={**self.env, **env}, capture_output=True, text=True, check=False
        )
        if check:
            self.assertEqual(done.returncode, 0, done.stderr)
        return done.stdout.strip()

    def postmaster(self):
        """Return the pid of the server."""
        return int((self.state / "postgres" / "cluster" / "postmaster.pid").read_text().split()[0])

    def test_the_database_starts_once_survives_a_crash_and_stops(self):
        half_made = self.state / "postgres" / "cluster.new" / "base"
        half_made.mkdir(parents=True)
        url = self.database("start")
        self.assertEqual(self.database("start"), url)
        with psycopg.connect(url) as connection:
            connection.execute("CREATE TABLE kept (n int)")
            mine = connection.execute("SELECT rolsuper, rolcreaterole FROM pg_roles WHERE rolname = current_user")
            self.assertEqual(mine.fetchone(), (False, False))
        with self.assertRaises(psycopg.OperationalError):
            psycopg.connect(url.replace("kessa_web:", "kessa_web:not-"))
        process = Path(f"/proc/{self.postmaster()}")
        if os.geteuid() == 0:
            self.assertNotEqual(process.stat().st_uid, 0)
        os.kill(self.postmaster(), signal.SIGKILL)
        time.sleep(0.5)
        stale = self.state / "postgres" / "cluster" / "postmaster.pid"
        stale.write_text(stale.read_text().replace(str(self.postmaster()), str(os.getpid()), 1))
        with psycopg.connect(self.database("start")) as connection:
            self.assertEqual(connection.execute("SELECT count(*) FROM kept").fetchone(), (0,))
        self.assertEqual(self.database("start", DATABASE_URL="postgresql://elsewhere/k"), "postgresql://elsewhere/k")
        self.database("stop", DATABASE_URL="postgresql://elsewhere/k")
        self.assertFalse(stale.exists())
        self.database("forget")
        self.assertFalse((self.state / "postgres").exists())

    def test_the_demo_comes_up_beside_a_taken_port_and_goes_down_cleanly(self):
        with socket.socket() as taken:
            taken.bind(("127.0.0.1", 0))
            taken.listen()
            port = taken.getsockname()[1]
            demo = subprocess.Popen(
                [ROOT / "bin" / "demo"],
                env={**self.env, "PORT": str(port), "KESSA_DEMO_DAYS": "31"},
                stdout=subprocess.PIPE,
                text=True,
            )
            self.addCleanup(demo.stdout.close)
            self.addCleanup(demo.kill)
            words = ""
            while "Kessa is at" not in words:
                line = demo.stdout.readline()
                self.assertTrue(line, words)
                words += line
        self.assertIn(f"port {port} is in use", words)
        address = words.split("Kessa is at ")[1].strip()
        with urllib.request.urlopen(f"{address}account/in/", timeout=10) as page:
            self.assertIn(b"one tap signs you in", page.read())
        demo.send_signal(signal.SIGTERM)
        self.assertIn("kessa: stopped", demo.stdout.read())
        demo.wait(20)
        self.assertFalse((self.state / "postgres" / "cluster" / "postmaster.pid").exists())

    def test_a_wrong_word_is_told(self):
        done = subprocess.run(
            [ROOT / "bin" / "demo", "--frsh"], env=self.env, capture_output=True, text=True, check=False
        )
        self.assertEqual((done.returncode, "bin/demo [--fresh]" in done.stderr), (2, True))

    def test_production_refuses_to_start_without_its_secret(self):
        env = {**os.environ, "DJANGO_SETTINGS_MODULE": "kessa.web.settings.production", "KESSA_HOSTS": "kessa.example"}
        python = ROOT / ".venv" / "bin" / "python"
        check = [python, "manage.py", "check"]
        done = subprocess.run(check, env=env, cwd=ROOT, capture_output=True, text=True, check=False)
        self.assertIn("Set KESSA_SECRET_KEY in the environment", done.stderr)
        code = "from django.urls import resolve; import django; django.setup(); resolve('/demo/enter/ines/')"
        env["KESSA_SECRET_KEY"] = "x" * 60
        done = subprocess.run([python, "-c", code], env=env, cwd=ROOT, capture_output=True, text=True, check=False)
        self.assertIn("Resolver404", done.stderr)
