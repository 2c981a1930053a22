// Given to a server with --import: from the moment it listens, what all objects have cannot be changed. A change that is
// tried then throws, and the test sees it. Node's own --frozen-intrinsics comes too early for some packages.
const write = process.stdout.write.bind(process.stdout)
process.stdout.write = (...args) => {
  if (String(args[0]).startsWith('Pendolo is at')) {
    process.stdout.write = write
    for (const one of [Object, Array, Function, String, Number, Map, Set]) Object.freeze(one.prototype)
  }
  return write(...args)
}
