import { index, integer, primaryKey, sqliteTable, text } from 'drizzle-orm/sqlite-core'

export const projects = sqliteTable('projects', {
  id: text('id').primaryKey(),
  name: text('name').notNull(),
  /** The project as it was at `head` (ProjectDoc as JSON). */
  doc: text('doc').notNull(),
  revision: integer('revision').notNull(),
  /** Sequence number of the last change that `doc` holds; later ones are applied to it when the project is opened. */
  head: integer('head').notNull(),
  createdAt: integer('created_at').notNull(),
  changedAt: integer('changed_at').notNull(),
  deletedAt: integer('deleted_at'),
})

export const edits = sqliteTable(
  'edits',
  {
    projectId: text('project_id').notNull(),
    seq: integer('seq').notNull(),
    /** Edits of one group are undone together. */
    groupId: text('group_id').notNull(),
    label: text('label').notNull(),
    forward: text('forward').notNull(),
    backward: text('backward').notNull(),
    at: integer('at').notNull(),
    /** Who did it: a browser's own name, empty where nobody said. */
    author: text('author').notNull().default(''),
    /** done, undone (can be done again), gone (can not), or step: an undo or redo of others, itself no step of undo. */
    state: text('state').notNull().default('done'),
  },
  (t) => [primaryKey({ columns: [t.projectId, t.seq] }), index('edits_by_state').on(t.projectId, t.state, t.seq)],
)

export const files = sqliteTable(
  'files',
  {
    id: text('id').primaryKey(),
    projectId: text('project_id').notNull(),
    path: text('path').notNull(),
    name: text('name').notNull(),
    size: integer('size').notNull(),
    contentKey: text('content_key').notNull(),
    facts: text('facts').notNull(),
    notes: text('notes').notNull(),
    addedAt: integer('added_at').notNull(),
  },
  (t) => [index('files_by_project').on(t.projectId)],
)

export const proofs = sqliteTable(
  'proofs',
  {
    projectId: text('project_id').notNull(),
    /** As the document names it; those of the first versions were named by their clip. */
    id: text('clip_id').notNull(),
    proof: text('proof').notNull(),
  },
  (t) => [primaryKey({ columns: [t.projectId, t.id] })],
)

export const jobs = sqliteTable(
  'jobs',
  {
    id: text('id').primaryKey(),
    projectId: text('project_id').notNull(),
    kind: text('kind').notNull(),
    state: text('state').notNull(),
    priority: integer('priority').notNull(),
    progress: integer('progress').notNull(),
    about: text('about').notNull(),
    detail: text('detail').notNull(),
    fileId: text('file_id'),
    payload: text('payload').notNull(),
    result: text('result'),
    createdAt: integer('created_at').notNull(),
    finishedAt: integer('finished_at'),
    /** Who asked for it; what it changes counts as theirs. */
    author: text('author').notNull().default(''),
    /** How often the process ended while it ran. */
    crashes: integer('crashes').notNull().default(0),
    /** What a tool said when it failed, for those who can read it. */
    raw: text('raw'),
  },
  (t) => [index('jobs_by_state').on(t.state, t.priority, t.createdAt)],
)
