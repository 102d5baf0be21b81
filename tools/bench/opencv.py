"""The same merges and remap in native OpenCV, on the same frames; prints one JSON object."""
import json
import sys
import time

import cv2
import numpy as np

folder, views = sys.argv[1], int(sys.argv[2])
out = {"opencv": cv2.__version__, "threads": cv2.getNumThreads()}
spec = json.load(open(f"{folder}/bench.json"))
w, h = spec["width"], spec["height"]
frames = [np.fromfile(f"{folder}/frame_{k}.u8", np.uint8).reshape(h, w, 3) for k in range(spec["frames"])]
times = np.array(spec["times"], np.float32)
merge = cv2.createMergeDebevec()


def better(work):
    """The better of two runs, as for ours."""
    took = []
    for _ in range(2):
        start = time.perf_counter()
        work()
        took.append(time.perf_counter() - start)
    return min(took)


out["debevecS"] = better(lambda: merge.process(frames, times))
wide = [np.fromfile(f"{folder}/frame_{k}.u16", np.uint16).reshape(h, w, 3) for k in range(spec["frames"])]


def weighted():
    total = np.zeros((h, w, 3), np.float32)
    weights = np.zeros((h, w, 3), np.float32)
    for f, t in zip(wide, times):
        v = f.astype(np.float32) * (1 / 65535)
        variance = v * (1 / 30000) + (4 / 30000) ** 2
        wk = cv2.divide(np.float32(t * t) * (v < 0.95).astype(np.float32), variance)
        weights = cv2.add(weights, wk)
        total = cv2.add(total, cv2.multiply(wk, v, scale=float(1 / t)))
    cv2.divide(total, np.maximum(weights, 1e-12))


out["weightedS"] = better(weighted)
del wide
pw = spec["panoramaWidth"]
ph = pw // 2
image = np.random.default_rng(1).random((h, w, 3), dtype=np.float32)


def stitch():
    total = np.zeros((ph, pw, 3), np.float32)
    weights = np.zeros((ph, pw, 1), np.float32)
    az = ((np.arange(pw) + 0.5) / pw * 2 * np.pi).astype(np.float32)
    el = ((0.5 - (np.arange(ph) + 0.5) / ph) * np.pi).astype(np.float32)
    for v in range(views):
        # Map of one fisheye view, then remap and feathered blend, in strips that fit the memory.
        a = az - np.float32(2 * np.pi * v / views)
        for y0 in range(0, ph, 512):
            e = el[y0:y0 + 512, None]
            dx, dy, dz = np.sin(a) * np.cos(e), np.sin(e) + 0 * a, np.cos(a) * np.cos(e)
            s = np.sqrt(dx * dx + dy * dy)
            theta = np.arctan2(s, dz)
            k = np.where(s > 1e-6, theta / np.maximum(s, 1e-6), 0) * np.float32(spec["focalPx"])
            mx, my = (w / 2 + k * dx - 0.5).astype(np.float32), (h / 2 - k * dy - 0.5).astype(np.float32)
            weight = np.clip(1 - theta / np.float32(1.6), 0, 1)[..., None] ** 8
            part = cv2.remap(image, mx, my, cv2.INTER_LINEAR)
            total[y0:y0 + 512] += part * weight
            weights[y0:y0 + 512] += weight
    total /= np.maximum(weights, 1e-12)


out["remapS"] = better(stitch)
print(json.dumps(out))
