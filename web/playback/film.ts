import type { ProjectState } from '@pendolo/api'
import { filmOf } from '@pendolo/core/film'

export type ProjectFilm = ReturnType<typeof filmOf>

const films = new WeakMap<ProjectState, ProjectFilm>()

/** The film of the version at hand; made once for each state of a project, whoever asks. */
export function filmFor(project: ProjectState): ProjectFilm {
  let film = films.get(project)
  if (!film) {
    const facts = new Map(project.files.map((f) => [f.id, f.facts]))
    film = filmOf(project.doc, (id) => facts.get(id))
    films.set(project, film)
  }
  return film
}

/** The film of another version of a project. */
export function filmOfVersion(project: ProjectState, cutId: string): ProjectFilm {
  if (cutId === project.doc.activeCutId) return filmFor(project)
  const facts = new Map(project.files.map((f) => [f.id, f.facts]))
  return filmOf(project.doc, (id) => facts.get(id), { cutId })
}
