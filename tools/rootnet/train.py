"""Training: samples turned, scaled, recoloured; a loss for each of what is to be seen.

python -m tools.rootnet.train SAMPLES WEIGHTS MINUTES [FROM_WEIGHTS]
python -m tools.rootnet.train --export WEIGHTS ONNX
"""

from __future__ import annotations

import sys
import time
from pathlib import Path

import cv2
import numpy as np
import numpy.typing as npt
import torch
from torch.nn import functional

from tools.rootnet.network import RootNet
from tools.rootnet.samples import Sample

Floats = npt.NDArray[np.float32]
SIDE, BATCH = 240, 8
RATE, LEAST_RATE, WARM_STEPS = 8e-3, 2e-5, 100
REREAD_STEPS, TELL_STEPS = 100, 50


def augmented(sample: Sample, rng: np.random.Generator) -> tuple[Floats, Floats]:
    """A turned, scaled, recoloured piece of a sample: input (4, s, s), target (5, s, s)."""
    n = sample["picture"].shape[0]
    scale = float(rng.uniform(0.7, 1.3))
    into = cv2.getRotationMatrix2D((n / 2, n / 2), float(rng.uniform(0, 360)), scale)
    if rng.random() < 0.5:
        into = into @ np.array([[-1, 0, n], [0, 1, 0], [0, 0, 1.0]])
    into[:, 2] += SIDE / 2 - n / 2 + rng.normal(0, 0.13, 2) * n * scale

    def moved(
        image: npt.NDArray[np.generic],
        flags: int = cv2.INTER_LINEAR,
        rim: int = cv2.BORDER_REFLECT_101,
    ) -> Floats:
        return cv2.warpAffine(image, into, (SIDE, SIDE), flags=flags, borderMode=rim)

    seen = moved(sample["seen"], cv2.INTER_NEAREST)
    ridge = moved(sample["ridge"]).astype(np.float32) / 255
    outline = moved(sample["outline"], rim=cv2.BORDER_CONSTANT).astype(np.float32) / 255
    ahead = sample["ahead"].astype(np.float32) / 127
    right, down = (moved(np.ascontiguousarray(ahead[..., i]), cv2.INTER_NEAREST) for i in (0, 1))
    spin = into[:, :2] / scale
    heading = [row[0] * right + row[1] * down for row in spin]
    picture = _other_light(moved(sample["picture"]).astype(np.float32) / 255, rng)
    given = np.concatenate([picture.transpose(2, 0, 1), _as_drawn(outline, rng)[None]])
    wanted = np.stack([seen == 1, seen == 2, ridge, *heading])
    return given.astype(np.float32), wanted.astype(np.float32)


def _other_light(picture: Floats, rng: np.random.Generator) -> Floats:
    """Light, white balance, tone, shadow, noise, softness: as other cameras and days have them."""
    gain = np.exp(rng.normal(0, 0.22)) * np.exp(rng.normal(0, 0.07, 3))
    picture = np.clip(picture, 1e-3, 1) ** float(np.exp(rng.normal(0, 0.18))) * gain
    if rng.random() < 0.3:
        grey = picture.mean(axis=-1, keepdims=True)
        picture = grey + (picture - grey) * rng.uniform(0.2, 1.5)
    if rng.random() < 0.35:
        # The shadow of something that is not in the picture.
        spots = (rng.standard_normal((SIDE // 16, SIDE // 16)) > 0.5).astype(np.float32)
        shade = cv2.resize(cv2.GaussianBlur(spots, (0, 0), 1.0), (SIDE, SIDE))
        if rng.random() < 0.5:
            shade = (shade > 0.4).astype(np.float32)
        picture = picture * (1 - rng.uniform(0.2, 0.6) * np.clip(shade, 0, 1)[..., None])
    if rng.random() < 0.4:
        picture = cv2.GaussianBlur(picture.astype(np.float32), (0, 0), rng.uniform(0.4, 1.3))
    picture = picture + rng.standard_normal(picture.shape) * rng.uniform(0, 0.035)
    return np.asarray(np.clip(picture, 0, 1), np.float32)


def _as_drawn(outline: Floats, rng: np.random.Generator) -> Floats:
    """The trunk as people draw it: off the mark now and then, or not drawn yet."""
    if rng.random() < 0.25:
        return np.zeros_like(outline)
    if rng.random() < 0.5:
        return outline
    shift = np.array([[1, 0, rng.normal(0, 2.0)], [0, 1, rng.normal(0, 2.0)]], np.float32)
    return cv2.warpAffine(outline, shift, (SIDE, SIDE))


def loss_of(out: torch.Tensor, wanted: torch.Tensor) -> torch.Tensor:
    """Cross entropy of root, trunk and crest, overlap of the root, squares of the headings."""
    entropy = functional.binary_cross_entropy_with_logits
    root, trunk, ridge, heading = wanted[:, 0], wanted[:, 1], wanted[:, 2], wanted[:, 3:]
    # Roots are few among much soil.
    weight = 1 + 1.5 * root
    sure = torch.sigmoid(out[:, 0])
    overlap = (2 * (sure * root).sum() + 1) / (sure.sum() + root.sum() + 1)
    away = ((out[:, 3:] - heading) ** 2 * root[:, None]).sum() / (root.sum() + 1)
    return (
        (entropy(out[:, 0], root, reduction="none") * weight).mean()
        + 0.5 * (1 - overlap)
        + 0.6 * entropy(out[:, 1], trunk)
        + 0.8 * (entropy(out[:, 2], ridge, reduction="none") * weight).mean()
        + away
    )


def train(folder: Path, weights: Path, minutes: float, resume: Path | None) -> None:
    """Train for some minutes and keep the weights as they come."""
    torch.manual_seed(0)
    rng = np.random.default_rng(0)
    net = RootNet().to(memory_format=torch.channels_last)
    if resume is not None:
        net.load_state_dict(torch.load(resume))
    optimiser = torch.optim.AdamW(net.parameters(), RATE, weight_decay=1e-4)
    start, step, losses = time.time(), 0, []
    known: dict[str, Sample] = {}
    net.train()
    while (spent := (time.time() - start) / (60 * minutes)) < 1:
        if step % REREAD_STEPS == 0:
            # Scenes may still be rendered beside the training.
            new = [path for path in sorted(folder.glob("*.npz")) if path.name not in known]
            known |= {path.name: dict(np.load(path)) for path in new}
        names = list(known)
        for group in optimiser.param_groups:
            slowing = 0.5 + 0.5 * np.cos(np.pi * spent)
            group["lr"] = RATE * slowing * min(1, (step + 1) / WARM_STEPS) + LEAST_RATE
        batch = [augmented(known[names[i]], rng) for i in rng.integers(len(names), size=BATCH)]
        given, wanted = (torch.from_numpy(np.stack(part)) for part in zip(*batch, strict=True))
        # Half precision where the processor has it; sums and losses stay in full.
        with torch.autocast("cpu", torch.bfloat16):
            out = net(given.contiguous(memory_format=torch.channels_last))
        loss = loss_of(out.float(), wanted)
        optimiser.zero_grad()
        loss.backward()
        optimiser.step()
        losses.append(loss.item())
        step += 1
        if step % TELL_STEPS == 0:
            seconds, mean = time.time() - start, np.mean(losses[-TELL_STEPS:])
            print(f"{step} {seconds:.0f} s, {len(names)} samples, loss {mean:.4f}", flush=True)
            torch.save(net.state_dict(), weights)
    torch.save(net.state_dict(), weights)


def export(weights: Path, onnx: Path) -> None:
    """The network as ONNX, for any size of picture."""
    net = RootNet()
    net.load_state_dict(torch.load(weights))
    net.eval()
    sizes = {2: "height", 3: "width"}
    torch.onnx.export(
        net,
        (torch.rand(1, 4, 448, 448),),
        str(onnx),
        input_names=["given"],
        output_names=["seen"],
        dynamic_axes={"given": sizes, "seen": sizes},
        dynamo=False,
    )


def main(arguments: list[str]) -> None:
    if arguments[0] == "--export":
        return export(Path(arguments[1]), Path(arguments[2]))
    folder, weights, minutes, *resume = arguments
    return train(Path(folder), Path(weights), float(minutes), Path(resume[0]) if resume else None)


if __name__ == "__main__":
    main(sys.argv[1:])
