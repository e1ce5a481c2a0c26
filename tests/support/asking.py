"""The asking side of a timing: reads what to ask on standard input, prints what it took."""

import http.client
import json
import statistics
import sys
import time

BLOCK = 25


def ask(connection: http.client.HTTPConnection, path: str, headers: dict) -> tuple[float, int]:
    """Ask once; milliseconds and bytes."""
    start = time.perf_counter()
    connection.request("GET", path, headers=headers)
    response = connection.getresponse()
    size = len(response.read())
    if response.status != 200:
        sys.exit(f"{path}: {response.status}")
    return (time.perf_counter() - start) * 1000, size


def main() -> None:
    """Ask two servers by turns, a block of each, so that both meet the same machine."""
    asked = json.load(sys.stdin)
    sides = [(http.client.HTTPConnection("127.0.0.1", s["port"]), s["paths"]) for s in asked["sides"]]
    found = []
    for connection, paths in sides:
        found.append({"times": [], "bytes": 0})
        for path in paths[:50]:
            ask(connection, path, asked["headers"])
    for begin in range(0, len(sides[0][1]), BLOCK):
        for (connection, paths), one in zip(sides, found, strict=True):
            for path in paths[begin : begin + BLOCK]:
                took, one["bytes"] = ask(connection, path, asked["headers"])
                one["times"].append(took)
    print(
        json.dumps(
            [
                {
                    "median": statistics.median(one["times"]),
                    "slowest": max(one["times"]),
                    "bytes": one["bytes"],
                }
                for one in found
            ]
        )
    )


if __name__ == "__main__":
    main()
