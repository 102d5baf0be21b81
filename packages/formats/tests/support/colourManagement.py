"""Runs Common LUT Format files, or built-in transforms one after the other, through OpenColorIO: {"jobs": [{"file" | "builtins", "rgb"}]} on stdin, a list of rgb lists on stdout."""
import json
import sys

import PyOpenColorIO as ocio

out = []
for job in json.load(sys.stdin)["jobs"]:
    if "file" in job:
        transform = ocio.FileTransform(src=job["file"], direction=ocio.TRANSFORM_DIR_FORWARD)
    else:
        transform = ocio.GroupTransform([ocio.BuiltinTransform(style=style) for style in job["builtins"]])
    config = ocio.Config.CreateRaw()
    processor = config.getProcessor(transform)
    cpu = processor.getOptimizedCPUProcessor(ocio.OPTIMIZATION_NONE)
    values = []
    for i in range(0, len(job["rgb"]), 3):
        values.extend(cpu.applyRGB(job["rgb"][i : i + 3]))
    out.append(values)
json.dump(out, sys.stdout)
