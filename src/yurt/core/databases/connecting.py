"""Opens a connection by the database that a URL names."""

from __future__ import annotations

from importlib import import_module
from pathlib import Path

from yurt.core.base.errors import SurroundingsFault, UsageFault
from yurt.core.databases.address import Address
from yurt.core.databases.common.connection import Connection

MODULES = {"mariadb": "mysql"}


def connected(address: Address, *, reading: bool = False) -> Connection:
    """Return an open connection; a database in a file is made unless `reading`.

    Raises UsageFault if a driver is missing, and SurroundingsFault if the database cannot be reached.
    """
    if address.path and not Path(address.path).exists():
        if reading:
            raise UsageFault(f"there is no file {address.path}")
        if not Path(address.path).absolute().parent.is_dir():
            raise SurroundingsFault(f"{address.path}: there is no such folder")
    try:
        module = import_module(f"yurt.core.databases.{MODULES.get(address.database, address.database)}")
    except ModuleNotFoundError:
        extra = MODULES.get(address.database, address.database)
        told = f"{address.database} needs a driver that is not installed"
        raise UsageFault(f"{told}; install it with: pip install 'yurt[{extra}]'") from None
    opened: Connection = module.opened(address, reading)
    return opened
