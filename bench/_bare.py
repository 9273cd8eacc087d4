"""The baseline server: a bare FastAPI endpoint that does one INSERT and commits, and one that only answers."""

from __future__ import annotations

import os
import sys
import threading

import pymysql
import uvicorn
from fastapi import FastAPI
from pydantic import BaseModel

HOST, PORT, PASSWORD, SCHEMA, LISTEN = sys.argv[1:6]
app = FastAPI(docs_url=None, redoc_url=None)
local = threading.local()


class Event(BaseModel):
    app: str
    container: str
    item: str
    kind: str


def connection() -> pymysql.Connection:
    if not hasattr(local, "db"):
        local.db = pymysql.connect(host=HOST, port=int(PORT), user="kelvix", password=PASSWORD, database=SCHEMA)
    return local.db


@app.post("/insert", status_code=202)
def insert(event: Event) -> None:
    db = connection()
    with db.cursor() as cursor:
        cursor.execute("INSERT INTO bare (container, item) VALUES (%s,%s)", (event.container, event.item))
    db.commit()


@app.get("/hop")
def hop() -> dict[str, str]:
    return {"state": "good", "pid": str(os.getpid())}


if __name__ == "__main__":
    uvicorn.run(app, host="127.0.0.1", port=int(LISTEN), access_log=False, log_level="warning")
