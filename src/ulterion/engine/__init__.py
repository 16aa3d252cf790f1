"""Moving bytes and timing them.

`target` owns the test file, `lane` is the timed loop of one worker, `movers` run one lane or several, `runner` takes a
target through a suite.  The clock is `time.perf_counter_ns`, which is monotonic.
"""
