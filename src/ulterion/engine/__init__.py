"""Moving bytes and timing them.

`targets` owns folders, files and devices, `requests` the timed loops, `workers` the processes they run in; `runner` takes
a target through a suite.  The clock is `time.perf_counter_ns`, which is monotonic.
"""
