#!/usr/bin/python3
"""Renews the reference outputs in tests/reference/data from general-purpose libraries.

Run: tests/reference/generate.py   (Debian packages python3-astropy, python3-sep, python3-scipy, python3-numpy)
"""
import json
import pathlib
import warnings

import astropy.units as u
import numpy as np
import sep
from astropy.coordinates import AltAz, EarthLocation, SkyCoord
from astropy.io import fits
from astropy.time import Time
from astropy.timeseries import LombScargle
from astropy.utils import iers
from astropy.wcs import WCS
from scipy.linalg import solve_discrete_are
from scipy.optimize import curve_fit
from scipy.stats import permutation_test, qmc

warnings.simplefilter("ignore")
iers.conf.auto_download = False
iers.conf.iers_degraded_accuracy = "ignore"
here = pathlib.Path(__file__).parent / "data"
rng = np.random.default_rng(20261014)


def places():
    """astropy SkyCoord → AltAz for sites, moments and stars all over, with and without air."""
    rows = []
    for lat, lon, height in [(58.35, 11.2, 14), (-33.2, 148.9, 1100), (12.0, -70.0, 0), (-54.0, -68.0, 20)]:
        where = EarthLocation(lon=lon * u.deg, lat=lat * u.deg, height=height * u.m)
        for when in ["2026-10-14T19:20:30", "2026-03-02T03:00:00", "2018-07-01T12:34:56"]:
            t = Time(when, scale="utc")
            t.delta_ut1_utc = 0.0
            for _ in range(60):
                star = SkyCoord(rng.uniform(0, 360) * u.deg, np.degrees(np.arcsin(rng.uniform(-1, 1))) * u.deg)
                plain = star.transform_to(AltAz(obstime=t, location=where))
                if plain.alt.deg < 15:
                    continue
                air = star.transform_to(AltAz(obstime=t, location=where, pressure=1005 * u.hPa, temperature=8 * u.deg_C,
                                              relative_humidity=0.7, obswl=0.55 * u.micron))
                rows.append(dict(latitude=lat, longitude=lon, height=height, utc=when, ra=star.ra.deg, dec=star.dec.deg,
                                 azimuth=plain.az.deg, altitude=plain.alt.deg, azimuth_air=air.az.deg, altitude_air=air.alt.deg))
    return rows


def tangent_planes():
    """astropy.wcs (wcslib) pixel → sky for gnomonic frames, rotated, mirrored, near the pole."""
    rows = []
    for ra, dec, roll, scale, mirrored in [(35.6, 42.3, 23.0, 2.58, False), (337.0, -88.7, 200.0, 1.42, True), (0.1, 89.6, 90.0, 6.0, False)]:
        w = WCS(naxis=2)
        w.wcs.ctype = ["RA---TAN", "DEC--TAN"]
        w.wcs.crval = [ra, dec]
        w.wcs.crpix = [960.5, 600.5]
        r = np.radians(roll)
        s = scale / 3600
        x = 1 if mirrored else -1
        w.wcs.cd = [[x * s * np.cos(r), s * np.sin(r)], [-x * s * np.sin(r), s * np.cos(r)]]
        points = []
        for _ in range(25):
            px, py = rng.uniform(1, 1920), rng.uniform(1, 1200)
            sky = w.all_pix2world([[px, py]], 1)[0]
            points.append([px, py, sky[0], sky[1]])
        rows.append(dict(ra=ra, dec=dec, roll=roll, scale=scale, mirrored=mirrored, cd=np.array(w.wcs.cd).tolist(), points=points))
    return rows


def detections():
    """A small frame with Gaussian stars and what sep finds and measures on it."""
    size = 320
    yy, xx = np.mgrid[0:size, 0:size]
    image = rng.normal(500, 8, (size, size)) + 0.05 * xx
    for gy in range(7):
        for gx in range(7):
            x, y = 28 + 44 * gx + rng.uniform(-6, 6), 28 + 44 * gy + rng.uniform(-6, 6)
            flux, sigma = 10 ** rng.uniform(3.6, 5.2), 1.4
            image += flux / (2 * np.pi * sigma**2) * np.exp(-((xx - x) ** 2 + (yy - y) ** 2) / (2 * sigma**2))
    counts = np.clip(np.round(image), 0, 65535).astype(np.uint16)
    fits.PrimaryHDU(counts).writeto(here / "stars.fits", overwrite=True)
    data = counts.astype(np.float64)
    background = sep.Background(data)
    data -= background.back()
    found = sep.extract(data, 5.0, err=background.globalrms)
    x, y, _ = sep.winpos(data, found["x"], found["y"], np.full(len(found), 1.4))
    flux, _, _ = sep.sum_circle(data, x, y, 7.0)
    radius, _ = sep.flux_radius(data, x, y, np.full(len(found), 7.0), 0.5, normflux=flux, subpix=5)
    return dict(background=background.globalback, noise=background.globalrms,
                stars=[dict(x=float(a), y=float(b), flux=float(f), hfd=float(2 * r)) for a, b, f, r in zip(x, y, flux, radius)])


def spectrum():
    """astropy LombScargle (floating mean, standard normalisation) of an uneven series with gaps."""
    t = np.sort(np.concatenate([rng.uniform(0, 900, 220), rng.uniform(1300, 2400, 260)]))
    v = 3.0 * np.sin(2 * np.pi * t / 432.0 + 0.4) + 0.8 * np.cos(2 * np.pi * t / 63.7) + rng.normal(0, 0.5, t.size) + 7.0
    frequency = 0.0005 + 0.0001 * np.arange(900)
    power = LombScargle(t, v).power(frequency, method="cython")
    return dict(t=t.tolist(), v=v.tolist(), first=0.0005, step=0.0001, power=power.tolist())


def sinusoids():
    """scipy least squares of drift and two sinusoids with free frequencies, white noise."""
    own = np.random.default_rng(77)
    t = np.sort(own.uniform(0, 1500, 600))
    v = 2.0 + 0.013 * t + 5.0 * np.sin(2 * np.pi * t / 431.0 + 0.9) + 1.1 * np.sin(2 * np.pi * t / 63.7 + 2.0) + own.normal(0, 0.4, t.size)

    def model(x, level, slope, a1, f1, p1, a2, f2, p2):
        return level + slope * x + a1 * np.sin(2 * np.pi * f1 * x + p1) + a2 * np.sin(2 * np.pi * f2 * x + p2)

    best, covariance = curve_fit(model, t, v, p0=[2, 0.01, 5, 1 / 430, 1, 1, 1 / 64, 2])
    sigma = np.sqrt(np.diag(covariance))
    lines = [dict(period=1 / best[i + 1], period_sigma=sigma[i + 1] / best[i + 1] ** 2, amplitude=abs(best[i]), amplitude_sigma=sigma[i]) for i in (2, 5)]
    return dict(t=t.tolist(), v=v.tolist(), slope=best[1], slope_sigma=sigma[1], lines=lines)


def kalman():
    """The axis filter's model in plain numpy matrices on uneven times, and its steady state from scipy's Riccati solver."""
    own = np.random.default_rng(99)
    walk, rate_walk, memory, share, harmonics = 3e-4, 2e-7, 6.0, 0.3, 2
    priors = [3.0, 1.2]
    variance = 0.16

    def step(dt):
        n = 3 + 2 * harmonics
        f = np.eye(n)
        f[0, 1] = dt
        f[2, 2] = np.exp(-dt / memory)
        q = np.zeros((n, n))
        q[0, 0] = walk * dt + rate_walk * dt**3 / 3
        q[0, 1] = q[1, 0] = rate_walk * dt**2 / 2
        q[1, 1] = rate_walk * dt
        q[2, 2] = (1 - f[2, 2] ** 2) * share * variance
        return f, q

    t = np.cumsum(own.uniform(1.5, 4.0, 120))
    z = 0.01 * t + 2.5 * np.sin(2 * np.pi * t / 400 + 0.3) + own.normal(0, 0.4, t.size)
    x = np.zeros(7)
    p = np.diag([1e6, 0.05**2, share * variance, *np.repeat(np.square(priors), 2)])
    states, covariances = [], []
    for k, (now, place) in enumerate(zip(t, z)):
        if k:
            f, q = step(now - t[k - 1])
            x = f @ x
            p = f @ p @ f.T + q
        turn = 2 * np.pi * now / 400
        h = np.array([1, 0, 1, np.cos(turn), np.sin(turn), np.cos(2 * turn), np.sin(2 * turn)])
        s = h @ p @ h + variance
        gain = p @ h / s
        x = x + gain * (place - h @ x)
        p = (np.eye(7) - np.outer(gain, h)) @ p
        states.append(x.tolist())
        covariances.append(np.diag(p).tolist())
    f, q = step(2.5)
    h = np.array([[1.0, 0.0, 1.0]])
    steady = solve_discrete_are(f[:3, :3].T, h.T, q[:3, :3], np.array([[variance]]))
    return dict(t=t.tolist(), z=z.tolist(), states=states, variances=covariances, steady=steady.tolist(),
                gain=(steady @ h.T / (h @ steady @ h.T + variance)).ravel().tolist())

def moments():
    """Elliptical Gaussian stars without noise and what sep makes of their second moments."""
    own = np.random.default_rng(5)
    size = 240
    yy, xx = np.mgrid[0:size, 0:size]
    image = np.zeros((size, size))
    stars = []
    for gy in range(4):
        for gx in range(4):
            x, y = 30 + 60 * gx + own.uniform(-6, 6), 30 + 60 * gy + own.uniform(-6, 6)
            major, minor, angle = own.uniform(1.8, 3.2), own.uniform(1.3, 1.8), own.uniform(-90, 90)
            flux, a = 1e5, np.radians(angle)
            u = (xx - x) * np.cos(a) + (yy - y) * np.sin(a)
            v = -(xx - x) * np.sin(a) + (yy - y) * np.cos(a)
            image += flux / (2 * np.pi * major * minor) * np.exp(-0.5 * (u**2 / major**2 + v**2 / minor**2))
            stars.append(dict(x=x, y=y, flux=flux, major=major, minor=minor, angle=angle))
    found = sep.extract(image, 0.5, filter_kernel=None)
    for star in stars:
        k = int(np.argmin(np.hypot(found["x"] - star["x"], found["y"] - star["y"])))
        star.update(a=float(found["a"][k]), b=float(found["b"][k]), theta=float(np.degrees(found["theta"][k])))
    return dict(size=size, stars=stars)


def halton():
    """scipy's Halton sequence in bases 2, 3, 5 and 7, from its second element on (its first is the origin)."""
    points = qmc.Halton(d=4, scramble=False).random(65)[1:]
    return dict(points=points.tolist(), discrepancy=[float(qmc.discrepancy(points[:n, :2], method="L2-star")) for n in (16, 32, 64)])



def hyperbola():
    """scipy.optimize.curve_fit of the focus hyperbola with absolute errors."""
    rng = np.random.default_rng(14)

    def curve(x, c, a, b):
        return np.sqrt(a * a + b * b * (x - c) ** 2)

    curves = []
    for count in (5, 6, 7, 9, 12, 20):
        c, a, b = rng.uniform(3000, 9000), rng.uniform(1.5, 5), rng.uniform(0.01, 0.06)
        x = np.round(c + a / b * np.sort(rng.uniform(-2.6, 2.6, count)))
        sigma = rng.uniform(0.01, 0.03, count) * curve(x, c, a, b)
        h = curve(x, c, a, b) + sigma * rng.standard_normal(count)
        p, cov = curve_fit(curve, x, h, p0=(c, a, b), sigma=sigma, absolute_sigma=True, xtol=1e-14, ftol=1e-14)
        e = np.sqrt(np.diag(cov))
        curves.append({"x": list(map(float, x)), "h": list(map(float, h)), "sigma": list(map(float, sigma)),
                       "c": float(p[0]), "a": float(p[1]), "b": float(p[2]),
                       "sc": float(e[0]), "sa": float(e[1]), "sb": float(e[2])})
    return {"curves": curves}


def permutation():
    """scipy.stats.permutation_test of paired differences: every sign may as well be the other."""
    own = np.random.default_rng(21)
    cases = []
    for n, shift in [(6, 0.0), (8, 0.1), (12, 0.05), (14, 0.12), (10, -0.2)]:
        d = own.normal(shift, 0.15, n)
        p = permutation_test((d,), lambda x: np.mean(x), permutation_type="samples", n_resamples=np.inf, alternative="two-sided").pvalue
        cases.append(dict(differences=d.tolist(), p=float(p)))
    return cases


def almanac():
    """astropy: the Moon's place and lit share, and rise and set of the Moon and of stars above an altitude, without refraction."""
    from astropy.coordinates import AltAz, EarthLocation, SkyCoord, get_body, get_sun
    from astropy.time import Time, TimeDelta
    import astropy.units as u

    moons = []
    for lat, lon, when in [(58.35, 11.2, "2026-10-14T18:00:00"), (58.35, 11.2, "2026-10-25T23:00:00"), (-33.4, 149.1, "2026-07-03T09:00:00"),
                           (28.3, -16.5, "2027-01-22T03:30:00"), (69.6, 18.9, "2026-12-24T20:00:00")]:
        at = EarthLocation(lat=lat * u.deg, lon=lon * u.deg, height=0 * u.m)
        t = Time(when)
        moon = get_body("moon", t, at)
        frame = AltAz(obstime=t, location=at)
        seen = moon.transform_to(frame)
        sun = get_sun(t)
        far = get_body("moon", t)
        elong = far.separation(sun)
        phase = np.arctan2(sun.distance.au * np.sin(elong.rad), far.distance.au - sun.distance.au * np.cos(elong.rad))
        # Crossings of altitude 0 by the centre, in the next 26 hours.
        times = t + TimeDelta(np.arange(0, 26 * 3600, 60), format="sec")
        alt = get_body("moon", times, at).transform_to(AltAz(obstime=times, location=at)).alt.deg
        cross = []
        for k in range(len(alt) - 1):
            if alt[k] < 0 <= alt[k + 1] or alt[k] >= 0 > alt[k + 1]:
                f = -alt[k] / (alt[k + 1] - alt[k])
                cross.append(dict(rises=bool(alt[k] < 0), after_s=float((k + f) * 60)))
        target = SkyCoord(ra=35.639224 * u.deg, dec=42.349146 * u.deg)
        star_alt = target.transform_to(AltAz(obstime=times, location=at)).alt.deg
        star = [dict(rises=bool(star_alt[k] < 25), after_s=float((k + (25 - star_alt[k]) / (star_alt[k + 1] - star_alt[k])) * 60))
                for k in range(len(star_alt) - 1) if (star_alt[k] < 25) != (star_alt[k + 1] < 25)]
        # From the place itself, for the Moon is near enough to be seen beside where the Earth's middle sees it.
        away = seen.separation(target.transform_to(frame))
        moons.append(dict(latitude=lat, longitude=lon, when=when, altitude=float(seen.alt.deg), azimuth=float(seen.az.deg),
                          lit=float((1 + np.cos(phase)) / 2), away=float(away.deg), crossings=cross, star=star))
    return moons


here.mkdir(exist_ok=True)
for name, make in [("places", places), ("tangent_planes", tangent_planes), ("detections", detections), ("spectrum", spectrum), ("sinusoids", sinusoids), ("kalman", kalman), ("moments", moments), ("halton", halton), ("permutation", permutation), ("hyperbola", hyperbola), ("almanac", almanac)]:
    (here / f"{name}.json").write_text(json.dumps(make(), indent=1) + "\n")
