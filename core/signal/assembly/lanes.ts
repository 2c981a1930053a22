// What the mix does with each sample of many channels, four at once. AssemblyScript: compiled into lanes.json by
// `node scripts/embed-lanes.mjs`. Pointers are byte offsets; arrays are little-endian.

// @ts-ignore: decorator
@inline
const TO_ONE: f32 = 4.656612873077393e-10

/** Four neighbouring samples of `bytes` bytes each (0: floats), as fractions of full scale. Up to four bytes behind them are read. */
// @ts-ignore: decorator
@inline
function loadFour(bytes: i32, at: usize): v128 {
  if (bytes == 0) return v128.load(at)
  if (bytes == 2) return f32x4.mul(f32x4.convert_i32x4_s(v128.load_ext<i16>(at)), f32x4.splat(3.0517578125e-5))
  const read = v128.load(at)
  if (bytes == 4) return f32x4.mul(f32x4.convert_i32x4_s(read), f32x4.splat(TO_ONE))
  // Three bytes become the upper three of four; 16 and more stand for a byte of zeros.
  const upper = i8x16.swizzle(read, i8x16(16, 0, 1, 2, 16, 3, 4, 5, 16, 6, 7, 8, 16, 9, 10, 11))
  return f32x4.mul(f32x4.convert_i32x4_s(upper), f32x4.splat(TO_ONE))
}

/** One sample. */
// @ts-ignore: decorator
@inline
function loadOne(bytes: i32, at: usize): f32 {
  if (bytes == 0) return load<f32>(at)
  if (bytes == 2) return <f32>load<i16>(at) * <f32>3.0517578125e-5
  if (bytes == 4) return <f32>load<i32>(at) * TO_ONE
  return <f32>((<i32>load<u8>(at) << 8) | (<i32>load<u16>(at + 1) << 16)) * TO_ONE
}

// @ts-ignore: decorator
@inline
function fourOf(bytes: i32, from: usize, apart: usize, to: usize, plane: usize, frames: i32): void {
  let n = 0
  for (; n + 4 <= frames; n += 4) {
    const a = loadFour(bytes, from)
    const b = loadFour(bytes, from + apart)
    const c = loadFour(bytes, from + 2 * apart)
    const d = loadFour(bytes, from + 3 * apart)
    const ab01 = v128.shuffle<f32>(a, b, 0, 4, 1, 5)
    const cd01 = v128.shuffle<f32>(c, d, 0, 4, 1, 5)
    const ab23 = v128.shuffle<f32>(a, b, 2, 6, 3, 7)
    const cd23 = v128.shuffle<f32>(c, d, 2, 6, 3, 7)
    v128.store(to, v128.shuffle<f32>(ab01, cd01, 0, 1, 4, 5))
    v128.store(to + plane, v128.shuffle<f32>(ab01, cd01, 2, 3, 6, 7))
    v128.store(to + 2 * plane, v128.shuffle<f32>(ab23, cd23, 0, 1, 4, 5))
    v128.store(to + 3 * plane, v128.shuffle<f32>(ab23, cd23, 2, 3, 6, 7))
    from += 4 * apart
    to += 16
  }
  for (; n < frames; n++) {
    const a = loadFour(bytes, from)
    store<f32>(to, f32x4.extract_lane(a, 0))
    store<f32>(to + plane, f32x4.extract_lane(a, 1))
    store<f32>(to + 2 * plane, f32x4.extract_lane(a, 2))
    store<f32>(to + 3 * plane, f32x4.extract_lane(a, 3))
    from += apart
    to += 4
  }
}

// @ts-ignore: decorator
@inline
function oneOf(bytes: i32, from: usize, apart: usize, to: usize, frames: i32): void {
  for (let n = 0; n < frames; n++) {
    store<f32>(to, loadOne(bytes, from))
    from += apart
    to += 4
  }
}

/**
 * Takes four neighbouring channels out of frames.
 * @param bytes of a sample: 2, 3 or 4; 0 for 32-bit floats
 * @param from sample of the first channel in the first frame
 * @param apart bytes from a frame to the next
 * @param to where the first channel's floats go; the others follow `plane` bytes after each other
 */
export function takeFour(bytes: i32, from: usize, apart: usize, to: usize, plane: usize, frames: i32): void {
  if (bytes == 0) fourOf(0, from, apart, to, plane, frames)
  else if (bytes == 2) fourOf(2, from, apart, to, plane, frames)
  else if (bytes == 3) fourOf(3, from, apart, to, plane, frames)
  else fourOf(4, from, apart, to, plane, frames)
}

/** Takes one channel out of frames. */
export function takeOne(bytes: i32, from: usize, apart: usize, to: usize, frames: i32): void {
  if (bytes == 0) oneOf(0, from, apart, to, frames)
  else if (bytes == 2) oneOf(2, from, apart, to, frames)
  else if (bytes == 3) oneOf(3, from, apart, to, frames)
  else oneOf(4, from, apart, to, frames)
}

/**
 * Adds channels, each times two factors, to two sums.
 * @param sounds first of the channels; they follow `plane` bytes after each other
 * @param factors of each channel, for the left and the right sum: two floats beside each other
 * @param left as many floats as `frames`, a multiple of 8; the right sum lies a plane behind it
 */
export function addToBoth(sounds: usize, plane: usize, count: i32, factors: usize, left: usize, frames: i32): void {
  for (let n: usize = 0; n < <usize>(4 * frames); n += 32) {
    let l0 = v128.load(left + n)
    let l1 = v128.load(left + n, 16)
    let r0 = v128.load(left + plane + n)
    let r1 = v128.load(left + plane + n, 16)
    let sound = sounds + n
    let factor = factors
    for (let c = 0; c < count; c++) {
      const x0 = v128.load(sound)
      const x1 = v128.load(sound, 16)
      const l = v128.load32_splat(factor)
      const r = v128.load32_splat(factor, 4)
      l0 = f32x4.add(l0, f32x4.mul(x0, l))
      l1 = f32x4.add(l1, f32x4.mul(x1, l))
      r0 = f32x4.add(r0, f32x4.mul(x0, r))
      r1 = f32x4.add(r1, f32x4.mul(x1, r))
      sound += plane
      factor += 8
    }
    v128.store(left + n, l0)
    v128.store(left + n, l1, 16)
    v128.store(left + plane + n, r0)
    v128.store(left + plane + n, r1, 16)
  }
}

/** Bytes of two sections that are run beside each other: five coefficients and two states of both, as doubles. */
const PAIR: usize = 112

/** Takes one section a sample further; `at` is its first coefficient, its others and its states lie 16 bytes apart. */
// @ts-ignore: decorator
@inline
function further(at: usize, x: f64): f64 {
  const y = load<f64>(at) * x + load<f64>(at, 80)
  store<f64>(at, load<f64>(at, 16) * x - load<f64>(at, 48) * y + load<f64>(at, 96), 80)
  store<f64>(at, load<f64>(at, 32) * x - load<f64>(at, 64) * y, 96)
  return y
}

/** Section k of all. */
// @ts-ignore: decorator
@inline
function sectionAt(pairs: usize, k: i32): usize {
  return pairs + <usize>(k >> 1) * PAIR + <usize>(k & 1) * 8
}

/** What each of the sections gave last, as long as the next has not taken it. */
const between = memory.data(64)

// @ts-ignore: decorator
@inline
function pairsOf(count: i32, pairs: usize, samples: usize, frames: i32): void {
  const all = 2 * count
  if (frames < all) {
    for (let n = 0; n < frames; n++) {
      let x = <f64>load<f32>(samples + 4 * n)
      for (let k = 0; k < all; k++) x = further(sectionAt(pairs, k), x)
      store<f32>(samples + 4 * n, <f32>x)
    }
    return
  }
  // Each section is a sample behind the one before it: at the beginning the later ones wait.
  for (let n = 0; n < all - 1; n++)
    for (let k = n; k >= 0; k--)
      store<f64>(between + 8 * k, further(sectionAt(pairs, k), k == 0 ? <f64>load<f32>(samples + 4 * n) : load<f64>(between + 8 * (k - 1))))
  const b0 = v128.load(pairs), b1 = v128.load(pairs, 16), b2 = v128.load(pairs, 32), a1 = v128.load(pairs, 48), a2 = v128.load(pairs, 64)
  let s1 = v128.load(pairs, 80), s2 = v128.load(pairs, 96), y = v128.load(between)
  const two = count > 1 ? pairs + PAIR : pairs
  const d0 = v128.load(two), d1 = v128.load(two, 16), d2 = v128.load(two, 32), c1 = v128.load(two, 48), c2 = v128.load(two, 64)
  let t1 = v128.load(two, 80), t2 = v128.load(two, 96), z = v128.load(between, 16)
  const three = count > 2 ? two + PAIR : pairs
  const f0 = v128.load(three), f1 = v128.load(three, 16), f2 = v128.load(three, 32), e1 = v128.load(three, 48), e2 = v128.load(three, 64)
  let u1 = v128.load(three, 80), u2 = v128.load(three, 96), w = v128.load(between, 32)
  for (let n = all - 1; n < frames; n++) {
    const now = samples + 4 * n
    // What comes to both of a pair: of the first what the last of the pair before gave, of the second what the first gave.
    const x = f64x2.replace_lane(v128.shuffle<f64>(y, y, 0, 0), 0, <f64>load<f32>(now))
    const v = count > 1 ? v128.shuffle<f64>(y, z, 1, 2) : x
    const o = count > 2 ? v128.shuffle<f64>(z, w, 1, 2) : x
    y = f64x2.add(f64x2.mul(b0, x), s1)
    s1 = f64x2.add(f64x2.sub(f64x2.mul(b1, x), f64x2.mul(a1, y)), s2)
    s2 = f64x2.sub(f64x2.mul(b2, x), f64x2.mul(a2, y))
    if (count > 1) {
      z = f64x2.add(f64x2.mul(d0, v), t1)
      t1 = f64x2.add(f64x2.sub(f64x2.mul(d1, v), f64x2.mul(c1, z)), t2)
      t2 = f64x2.sub(f64x2.mul(d2, v), f64x2.mul(c2, z))
    }
    if (count > 2) {
      w = f64x2.add(f64x2.mul(f0, o), u1)
      u1 = f64x2.add(f64x2.sub(f64x2.mul(f1, o), f64x2.mul(e1, w)), u2)
      u2 = f64x2.sub(f64x2.mul(f2, o), f64x2.mul(e2, w))
    }
    store<f32>(now - 4 * (all - 1), <f32>f64x2.extract_lane(count > 2 ? w : count > 1 ? z : y, 1))
  }
  v128.store(pairs, s1, 80)
  v128.store(pairs, s2, 96)
  v128.store(between, y)
  if (count > 1) {
    v128.store(two, t1, 80)
    v128.store(two, t2, 96)
    v128.store(between, z, 16)
  }
  if (count > 2) {
    v128.store(three, u1, 80)
    v128.store(three, u2, 96)
    v128.store(between, w, 32)
  }
  // At the end the earlier ones have had all.
  for (let n = frames; n < frames + all - 1; n++)
    for (let k = all - 1; k > n - frames; k--) {
      const out = further(sectionAt(pairs, k), load<f64>(between + 8 * (k - 1)))
      store<f64>(between + 8 * k, out)
      if (k == all - 1) store<f32>(samples + 4 * (n - all + 1), <f32>out)
    }
}

/**
 * Runs up to six second-order sections one behind the other over samples in place (transposed direct form II), in doubles.
 * @param count pairs of sections, 1 to 3
 * @param pairs where they lie, two sections beside each other: b0, b1, b2, a1, a2 and what both remember
 */
export function runPairs(count: i32, pairs: usize, samples: usize, frames: i32): void {
  if (count == 1) pairsOf(1, pairs, samples, frames)
  else if (count == 2) pairsOf(2, pairs, samples, frames)
  else pairsOf(3, pairs, samples, frames)
}

/** The highest of all samples of each stretch of sixteen frames, whatever their sign; what lies behind the frames must be zero up to a whole stretch. */
export function peaksOf(samples: usize, frames: i32, peaks: usize): void {
  for (let n = 0; n < frames; n += 16) {
    const at = samples + 4 * n
    const a = f32x4.max(f32x4.abs(v128.load(at)), f32x4.abs(v128.load(at, 16)))
    const b = f32x4.max(f32x4.abs(v128.load(at, 32)), f32x4.abs(v128.load(at, 48)))
    let c = f32x4.max(a, b)
    c = f32x4.max(c, v128.shuffle<f32>(c, c, 2, 3, 0, 1))
    store<f32>(peaks + (n >> 2), max(f32x4.extract_lane(c, 0), f32x4.extract_lane(c, 1)))
  }
}

/** Multiplies stretches of sixteen frames by gains that lead in straight lines: of the kth from gain k to gain k + 1. */
export function scaleBy(samples: usize, frames: i32, gains: usize): void {
  const steps = f32x4(1, 2, 3, 4)
  const four = f32x4.splat(4)
  for (let n = 0; n < frames; n += 16) {
    const begin = load<f32>(gains + (n >> 2))
    const end = load<f32>(gains + (n >> 2), 4)
    if (begin == 1 && end == 1) continue
    const step = f32x4.splat((end - begin) / <f32>min(16, frames - n))
    let k = steps
    for (let i = 0; i < 4; i++) {
      const at = samples + 4 * n + 16 * i
      v128.store(at, f32x4.mul(v128.load(at), f32x4.add(f32x4.splat(begin), f32x4.mul(step, k))))
      k = f32x4.add(k, four)
    }
  }
}

/** What comes out between samples: four instants of each, {@link TAPS} samples back, newest first, four weights beside each other. */
const TAPS: i32 = 24
/** Samples of which the loudest decides whether they are looked at closely. */
const GROUP: i32 = 32

/**
 * The highest level that a sound reaches at its samples and between them.
 * @param samples {@link TAPS} − 1 samples of before, then `frames` of now; what lies up to {@link GROUP} samples behind them is read and does not count
 * @param weights of each tap, for four instants
 * @param over nothing comes out higher than its highest sample by more than this factor
 * @param highest what is not higher does not matter
 */
export function highestOf(samples: usize, frames: i32, weights: usize, over: f32, highest: f32): f32 {
  for (let from = 0; from < frames; from += GROUP) {
    const first = samples + 4 * from
    let most = f32x4.splat(0)
    // One float further than is needed: to whole lanes.
    for (let k: usize = 0; k < <usize>(4 * (TAPS + GROUP)); k += 16) most = f32x4.max(most, f32x4.abs(v128.load(first + k)))
    most = f32x4.max(most, v128.shuffle<f32>(most, most, 2, 3, 0, 1))
    if (max(f32x4.extract_lane(most, 0), f32x4.extract_lane(most, 1)) * over <= highest) continue
    let peak = f32x4.splat(0)
    const count = min(GROUP, frames - from)
    let n = 0
    for (; n + 4 <= count; n += 4) {
      let newest = first + 4 * (n + TAPS - 1)
      let weight = weights
      let a = f32x4.splat(0)
      let b = f32x4.splat(0)
      let c = f32x4.splat(0)
      let d = f32x4.splat(0)
      for (let k = 0; k < TAPS; k++) {
        const w = v128.load(weight)
        a = f32x4.add(a, f32x4.mul(w, v128.load32_splat(newest)))
        b = f32x4.add(b, f32x4.mul(w, v128.load32_splat(newest, 4)))
        c = f32x4.add(c, f32x4.mul(w, v128.load32_splat(newest, 8)))
        d = f32x4.add(d, f32x4.mul(w, v128.load32_splat(newest, 12)))
        weight += 16
        newest -= 4
      }
      peak = f32x4.max(peak, f32x4.max(f32x4.max(f32x4.abs(a), f32x4.abs(b)), f32x4.max(f32x4.abs(c), f32x4.abs(d))))
    }
    for (; n < count; n++) {
      const newest = first + 4 * (n + TAPS - 1)
      let a = f32x4.splat(0)
      for (let k = 0; k < TAPS; k++) a = f32x4.add(a, f32x4.mul(v128.load(weights + 16 * k), v128.load32_splat(newest - 4 * k)))
      peak = f32x4.max(peak, f32x4.abs(a))
    }
    peak = f32x4.max(peak, v128.shuffle<f32>(peak, peak, 2, 3, 0, 1))
    highest = max(highest, max(f32x4.extract_lane(peak, 0), f32x4.extract_lane(peak, 1)))
  }
  return highest
}
