"""The asking side of a timing: reads what to ask on standard input, prints what it took."""

import http.client
import json
import statistics
import sys
import time


def main() -> None:
    """Ask every path once more than is counted, on one connection."""
    asked = json.load(sys.stdin)
    connection = http.client.HTTPConnection("127.0.0.1", asked["port"])
    times, size = [], 0
    for i, path in enumerate([*asked["paths"][:50], *asked["paths"]]):
        start = time.perf_counter()
        connection.request("GET", path, headers=asked["headers"])
        response = connection.getresponse()
        size = len(response.read())
        if response.status != 200:
            sys.exit(f"{path}: {response.status}")
        if i >= 50:
            times.append((time.perf_counter() - start) * 1000)
    print(json.dumps({"median": statistics.median(times), "slowest": max(times), "bytes": size}))


if __name__ == "__main__":
    main()
