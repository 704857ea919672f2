"""The server's settings over a data folder that lasts as long as the tests."""

import atexit
import os
import shutil
import tempfile

_folder = tempfile.mkdtemp(prefix="paddock-tests-")
atexit.register(shutil.rmtree, _folder, ignore_errors=True)
os.environ["PADDOCK_DATA"] = _folder

from paddock_server.settings import *  # noqa: E402, F403

PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
