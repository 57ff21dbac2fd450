"""Timed runs on a machine that others share."""


def processor_time():
    """Of all processors since the start: what the host gave to other guests, and all, in ticks (proc(5), /proc/stat)."""
    with open("/proc/stat") as counters:
        fields = [int(x) for x in counters.readline().split()[1:9]]
    return fields[7], sum(fields)


def undisturbed(run, most=0.06, times=3):
    """What `run()` returns, with the share of the processors' time that other guests of the host took meanwhile.

    Where they took more than `most`, it runs again, at most so many times; what counts is the run that was disturbed
    least, however it came out.
    """
    best = None
    for _ in range(times):
        stolen, whole = processor_time()
        result = run()
        stolen_after, whole_after = processor_time()
        share = (stolen_after - stolen) / max(1, whole_after - whole)
        if best is None or share < best[1]:
            best = result, share
        if share <= most:
            break
    return best
