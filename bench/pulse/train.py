#!/usr/bin/python3
"""Trains the beat network on the pieces that bench/pulse makes, and writes its weights for core/pulse.

    apt-get install python3-torch python3-numpy
    node scripts/bench.mjs pulse-pieces train plain dev
    /usr/bin/python3 bench/pulse/train.py .cache/bench/pulse core/pulse/network/weights.json

A third argument gives the minutes, a fourth weights to begin from, of a network that may be narrower, a fifth the rate of
learning (usually 0.003).

The network after Davies & Boeck 2019, "Temporal convolutional networks for musical audio beat tracking": three small
convolutions over bands, then dilated convolutions over time, then the likelihood of a beat and of a bar's first beat.
Everything it learns from is made by the generator beside it; no recording and no foreign weights are used.
"""
import copy
import glob
import json
import math
import random
import sys
import time

import numpy as np
import torch
import torch.nn as nn
import torch.nn.functional as F

BANDS, ROW, STEPS, CHANGE = 34, 38, 60.0, 200.0
CHANNELS, DILATIONS = 32, [1, 2, 4, 8, 16, 32, 64, 128, 256, 512]
LENGTH, BATCH, RATE = 2000, 6, 50
# Share of excerpts into which a pause is laid.
PAUSES = 0.4


class Network(nn.Module):
    def __init__(self):
        super().__init__()
        self.conv1 = nn.Conv2d(1, 12, 3, padding=1)
        self.conv2 = nn.Conv2d(12, 16, 3, padding=1)
        self.conv3 = nn.Conv2d(16, CHANNELS, (1, 3))
        self.join = nn.Conv1d(CHANNELS + ROW - BANDS, CHANNELS, 1)
        self.wide = nn.ModuleList([nn.Conv1d(CHANNELS, CHANNELS, 5, dilation=d, padding=2 * d) for d in DILATIONS])
        self.mix = nn.ModuleList([nn.Conv1d(CHANNELS, CHANNELS, 1) for _ in DILATIONS])
        self.out = nn.Conv1d(CHANNELS, 2, 1)

    def forward(self, bands, change):
        x = F.max_pool2d(F.elu(self.conv1(bands.unsqueeze(1))), (1, 3))
        x = F.max_pool2d(F.elu(self.conv2(x)), (1, 3))
        x = F.elu(self.conv3(x)).squeeze(3)
        x = F.elu(self.join(torch.cat([x, change], 1)))
        for wide, mix in zip(self.wide, self.mix):
            x = x + mix(F.dropout(F.elu(wide(x)), 0.1, self.training))
        return self.out(F.elu(x))


def load(folder, half):
    pieces = []
    for one in (one for told in sorted(glob.glob(f'{folder}/{half}/pieces*.json')) for one in json.load(open(told))):
        rows = np.frombuffer(open(one['file'] + '.rows', 'rb').read(), np.uint8).reshape(-1, ROW)
        pieces.append((rows, np.array(one['truth']['beats']), np.array(one['truth']['downbeats']), one['name']))
    return pieces


def excerpt(piece, rng, length):
    rows, beats, downbeats, _ = piece
    speed = math.exp(rng.uniform(-0.18, 0.18)) if length else 1.0
    total = int(len(rows) / speed)
    n = length or total
    first = rng.randint(0, max(0, total - n))
    at = np.clip(np.round((first + np.arange(n)) * speed).astype(int), 0, len(rows) - 1)
    part = rows[at].astype(np.float32)
    bands = part[:, :BANDS] / STEPS
    if length:
        gain = 10 ** rng.uniform(-0.5, 0.5)
        bands = np.log10(1 + gain * (10 ** bands - 1))
        if rng.random() < 0.3:
            low = rng.randint(0, BANDS - 4)
            bands[:, low:low + rng.randint(1, 6)] = 0
    change = part[:, BANDS:] / CHANGE
    truth = np.zeros((2, n), np.float32)
    for k, times in enumerate((beats, downbeats)):
        frames = np.round(times * RATE / speed - first).astype(int)
        for d, value in ((-1, 0.4), (1, 0.4), (0, 1.0)):
            f = frames + d
            f = f[(f >= 0) & (f < n)]
            truth[k, f] = np.maximum(truth[k, f], value)
    if length and rng.random() < PAUSES:
        pause(bands, change, truth, rng)
    return bands, change.T, truth


def pause(bands, change, truth, rng):
    """Somewhere the music rests: nothing is heard, or steady noise from very soft to as loud as it; nothing there is a beat."""
    n = len(bands)
    first = rng.randint(0, n - 150)
    last = min(n, first + rng.randint(150, 800))
    rest = np.zeros(BANDS, np.float32) if rng.random() < 0.4 else np.percentile(bands, rng.uniform(1, 60), 0)
    noise = np.random.default_rng(rng.randrange(1 << 30)).normal(0, rng.uniform(0, 0.12), (last - first, BANDS))
    bands[first:last] = np.maximum(0, rest + noise * (rest > 0))
    change[first:last] *= rng.random() < 0.5
    truth[:, first:last] = 0


def batch(parts):
    bands, change, truth = zip(*parts)
    return torch.tensor(np.stack(bands)), torch.tensor(np.stack(change)), torch.tensor(np.stack(truth))


def loss_of(said, truth):
    weight = 1 + 3 * truth
    each = F.binary_cross_entropy_with_logits(said, truth, weight=weight, reduction='none')
    return each[:, 0].mean() + 1.5 * each[:, 1].mean()


def peaks(x, floor):
    inner = (x[1:-1] >= x[:-2]) & (x[1:-1] > x[2:]) & (x[1:-1] > floor)
    return (np.flatnonzero(inner) + 1) / RATE


def f_measure(said, truth):
    if len(truth) == 0:
        return 1.0 if len(said) == 0 else 0.0
    hit = sum(1 for t in truth if len(said) and np.min(np.abs(said - t)) <= 0.07)
    return 2 * hit / (len(said) + len(truth))


def look(network, pieces):
    network.eval()
    total, scores = 0.0, []
    with torch.no_grad():
        for piece in pieces:
            bands, change, truth = batch([excerpt(piece, random, 0)])
            said = network(bands, change)
            total += float(loss_of(said, truth))
            p = torch.sigmoid(said)[0].numpy()
            scores.append([f_measure(peaks(p[0], 0.35), piece[1]), f_measure(peaks(p[1], 0.3), piece[2])])
    network.train()
    return total / len(pieces), np.mean(scores, 0)


def write(network, file):
    out = {}
    for name, tensor in network.state_dict().items():
        values = tensor.numpy().astype(np.float64)
        step = max(1e-9, np.abs(values).max() / 32767)
        out[name] = {'shape': list(tensor.shape), 'step': step, 'values': np.round(values / step).astype(int).ravel().tolist()}
    json.dump({'made': 'bench/pulse/train.py', 'dilations': DILATIONS, 'tensors': out}, open(file, 'w'), separators=(',', ':'))


def begin_from(network, tensors):
    """Takes over the weights of a network that may be narrower; what it did not have is not listened to yet."""
    for name, t in tensors.items():
        old = torch.tensor(np.array(t['values'], np.float32).reshape(t['shape']) * t['step'])
        new = network.state_dict()[name]
        if name == 'join.weight':  # reads the changes of harmony behind all channels
            heard = old.shape[1] - (ROW - BANDS)
            wide = torch.zeros(old.shape[0], *new.shape[1:])
            wide[:, :heard], wide[:, CHANNELS:] = old[:, :heard], old[:, heard:]
            old = wide
        elif old.dim() > 1 and old.shape[1] < new.shape[1]:
            new[:old.shape[0], old.shape[1]:] = 0
        new[tuple(slice(0, n) for n in old.shape)] = old


class Kept:
    """The mean of the weights over the last steps (Polyak & Juditsky 1992): steadier than those of any one step."""

    def __init__(self, network):
        self.network, self.steps = copy.deepcopy(network), 0

    def take(self, network):
        self.steps += 1
        share = max(0.002, 1 / (self.steps + 1))
        with torch.no_grad():
            for mine, now in zip(self.network.parameters(), network.parameters()):
                mine.lerp_(now, share)


def main():
    folder, target, minutes = sys.argv[1], sys.argv[2], float(sys.argv[3]) if len(sys.argv) > 3 else 25
    rng = random.Random(1)
    torch.manual_seed(1)
    torch.set_num_threads(2)
    train, dev = load(folder, 'train') + load(folder, 'plain'), load(folder, 'dev')
    most = float(sys.argv[5]) if len(sys.argv) > 5 else 3e-3
    network = Network()
    if len(sys.argv) > 4:
        begin_from(network, json.load(open(sys.argv[4]))['tensors'])
    kept = Kept(network)
    print(sum(p.numel() for p in network.parameters()), 'weights,', len(train), 'pieces', flush=True)
    optimiser = torch.optim.AdamW(network.parameters(), most, weight_decay=1e-4)
    began, epoch, best = time.time(), 0, None
    while time.time() - began < minutes * 60:
        order = train[:]
        rng.shuffle(order)
        total = 0.0
        for i in range(0, len(order) - BATCH + 1, BATCH):
            spent = min(1, (time.time() - began) / (minutes * 60))
            warm = min(1, (epoch * len(order) + i) / 300)
            for group in optimiser.param_groups:
                group['lr'] = most * warm * (0.02 + 0.98 * 0.5 * (1 + math.cos(math.pi * spent)))
            loss = loss_of(*(lambda b: (network(b[0], b[1]), b[2]))(batch([excerpt(p, rng, LENGTH) for p in order[i:i + BATCH]])))
            optimiser.zero_grad()
            loss.backward()
            nn.utils.clip_grad_norm_(network.parameters(), 1.0)
            optimiser.step()
            kept.take(network)
            total += float(loss)
        epoch += 1
        held, scores = look(kept.network, dev)
        print(f'{epoch} after {time.time() - began:.0f} s: {total / (len(order) // BATCH):.4f}, dev {held:.4f}, peaks F {scores[0]:.3f}, bars {scores[1]:.3f}', flush=True)
        write(kept.network, target)


main()
