"""Coverage-guided fuzzing of the parsers of files: whatever the bytes, readings or one sentence.

``python -m tests.formats.fuzz NAME [libFuzzer's own arguments]``; the tests run each for a few seconds.
"""

from __future__ import annotations

import io
import json
import sys
import tempfile
from pathlib import Path

import atheris
import polars as pl

with atheris.instrument_imports(include=["tickstone.formats", "vcd"]):
    from tickstone.errors import BadInput
    from tickstone.formats import opening
    from tickstone.formats.about import about_of
    from tickstone.formats.parquet import ParquetSource
    from tickstone.formats.readings import FileSource
    from tickstone.formats.shapes import Heading, Pieces, Unread, take_apart
    from tickstone.formats.summary import summary
    from tickstone.formats.vcd import DumpSource

SEEDS = {
    "file": [
        b"t_us,echo_us,air_c\n0,1748,20\n50,0,\n",
        b"a;b\n1,5;2\n",
        b"t_us:1 echo_us:2\n",
        b'{"t":1,"a":[2]}\n',
        "Distance: 23,4 cm\r\n".encode("utf-16"),
        b'"a","b ""c"\n1,"2"\n',
        b"1 2 3\r4 5 6\r",
        b'# tick-stone: {"version":1}\nt_us,x\n1,2\n',
    ],
    "dump": [
        b"$timescale 1 us $end $scope module a $end $var wire 1 ! A $end "
        b"$var real 64 % r $end $upscope $end\n"
        b"$enddefinitions $end\n#0\n$dumpvars 0! $end\n#5\n1!\nr1.5 %\n#7\nx!\nb10 !\n"
    ],
    "line": [
        b"t_us:1 echo_us:1748",
        b"12,13,nan",
        b"Distance: 23.4 cm",
        b'{"a":{"b":[1,null]}}',
        b"left;right",
    ],
    "about": [b'{"version":1,"name":"a","marks":[{"t0":1,"t1":null,"label":"x"}],"columns":[],"odd":[]}'],
}


def read(source: FileSource) -> None:
    """Everything of a source, and what it says of itself."""
    about_of(source.about)
    json.dumps(summary(source), allow_nan=False)


def one(target: str, data: bytes) -> None:
    """One input for one parser: BadInput, with its sentence, is the only way to refuse it."""
    try:
        if target == "file":
            read(opening.open_readings(io.BytesIO(data)))
        elif target == "dump":
            read(DumpSource(io.BytesIO(data)))
        elif target == "parquet":
            read(ParquetSource(io.BytesIO(b"PAR1" + data)))
        elif target == "line":
            if not isinstance(take_apart(data.decode("utf-8", "replace")), Pieces | Heading | Unread):
                raise TypeError("neither pieces nor a heading nor a reason")
        else:
            found = json.loads(data)
            about = about_of(found if isinstance(found, dict) else None)
            if about is not None and about_of(json.loads(about.to_json())) != about:
                raise ValueError("what was said is not what is read again")
    except BadInput as refused:
        if not refused.message:
            raise
    except (UnicodeDecodeError, json.JSONDecodeError, RecursionError):
        if target != "about":  # bytes that are no JSON are refused by whoever opens the file
            raise


def main() -> None:
    """Fuzz one parser."""
    target = sys.argv[1]
    with tempfile.TemporaryDirectory() as folder:
        whole = io.BytesIO()
        pl.DataFrame({"t_us": [1, 2], "x": [1.5, None], "mark": ["a", None]}).write_parquet(whole)
        SEEDS["parquet"] = [whole.getvalue()[4:]]
        for number, seed in enumerate(SEEDS.get(target, [])):
            (Path(folder) / f"seed{number}").write_bytes(seed)
        atheris.Setup(
            [
                sys.argv[0],
                *sys.argv[2:],
                "-max_len=4096",
                f"-artifact_prefix={tempfile.gettempdir()}/",
                folder,
            ],
            lambda data: one(target, data),
        )
        atheris.Fuzz()


if __name__ == "__main__":
    main()
