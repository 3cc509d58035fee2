#!/ usr / bin / python3
"""Times astropy's Lomb–Scargle on a series: rows "t v" in the file named first; then first frequency, step, count.

Prints the best of five times in seconds for its default (fast) method, and the greatest power.
"""
import sys
import time

import numpy as np
from astropy.timeseries import LombScargle

t, v = np.loadtxt(sys.argv[1]).T
first, step, count = float(sys.argv[2]), float(sys.argv[3]), int(sys.argv[4])
frequency = first + step * np.arange(count)
best = 1e9
for _ in range(5):
    start = time.perf_counter()
    power = LombScargle(t, v).power(frequency, method="fast", assume_regular_frequency=True)
    best = min(best, time.perf_counter() - start)
print(best, power.max())
