// Rules of the house that no other tool knows: no function over 120 lines, and words about every public function of core.
import { readdirSync, readFileSync } from 'node:fs'
import path from 'node:path'
import { fileURLToPath } from 'node:url'
import ts from 'typescript'

const MOST_LINES = 120
const root = path.dirname(path.dirname(fileURLToPath(import.meta.url)))
const faults = []

const sources = (folder) =>
  readdirSync(path.join(root, folder), { recursive: true })
    .map((file) => path.join(folder, file))
    .filter((file) => /\.tsx?$/.test(file) && !/(^|\/)(node_modules|dist)\/|\.(test|contract|d)\.tsx?$/.test(file))
const parsed = (file) => ts.createSourceFile(file, readFileSync(path.join(root, file), 'utf8'), ts.ScriptTarget.Latest, true)
const isFunction = (node) => ts.isFunctionDeclaration(node) || ts.isMethodDeclaration(node) || ts.isArrowFunction(node) || ts.isFunctionExpression(node)
const exported = (node) => node.modifiers?.some((m) => m.kind === ts.SyntaxKind.ExportKeyword) ?? false

/** Every exported function, and every method of an exported class, that a subject of core shows to others. */
function publicOnes(file, source, faces) {
  const shown = (name) => faces.has(`${file}#${name}`)
  const found = []
  for (const node of source.statements) {
    if (!exported(node)) continue
    if (ts.isFunctionDeclaration(node) && shown(node.name?.text)) found.push([node.name.text, node])
    if (ts.isClassDeclaration(node) && shown(node.name?.text))
      for (const member of node.members)
        if ((ts.isMethodDeclaration(member) || ts.isGetAccessor(member)) && !ts.isPrivateIdentifier(member.name))
          found.push([`${node.name.text}.${member.name.getText()}`, member])
    if (ts.isVariableStatement(node))
      for (const { name, initializer } of node.declarationList.declarations)
        if (initializer && ts.isArrowFunction(initializer) && shown(name.getText())) found.push([name.getText(), node])
  }
  return found
}

/** What each subject's index.ts gives away, as file#name. */
function facesOf(folders) {
  const faces = new Set()
  for (const folder of folders)
    for (const node of parsed(path.join(folder, 'index.ts')).statements) {
      if (!ts.isExportDeclaration(node) || !node.exportClause || !ts.isNamedExports(node.exportClause)) continue
      for (const one of node.exportClause.elements) faces.add(`${path.join(folder, node.moduleSpecifier.text)}#${(one.propertyName ?? one.name).text}`)
    }
  return faces
}

const subjects = readdirSync(path.join(root, 'core'), { withFileTypes: true }).filter((entry) => entry.isDirectory() && entry.name !== 'node_modules')
const faces = facesOf(subjects.map((entry) => path.join('core', entry.name)))
let asked = 0
for (const file of ['core', 'api', 'server', 'web', 'demo'].flatMap(sources)) {
  const source = parsed(file)
  const lineOf = (at) => source.getLineAndCharacterOfPosition(at).line + 1
  const visit = (node) => {
    const lines = isFunction(node) ? lineOf(node.end) - lineOf(node.getStart()) + 1 : 0
    if (lines > MOST_LINES) faults.push(`${file}:${lineOf(node.getStart())} a function of ${lines} lines; divide it`)
    ts.forEachChild(node, visit)
  }
  visit(source)
  for (const [name, node] of publicOnes(file, source, faces)) {
    asked++
    if (ts.getJSDocCommentsAndTags(node).length === 0) faults.push(`${file}:${lineOf(node.getStart())} ${name} is public and says nothing of itself`)
  }
}
for (const fault of faults) console.error(fault)
console.log(`${asked} public functions of core looked at, ${faults.length} faults`)
process.exit(faults.length > 0 || asked === 0 ? 1 : 0)
