// What people read on the screens of `projects`.
import type { Part } from './part'

export const labels = {
  projectZipToOpen: 'Project zip to open',
  projects: 'Projects',
  makingTheSample: 'Making the sample …',
  openTheSample: 'Open the sample',
  opening: 'Opening …',
  openAProjectZip: 'Open a project zip…',
  newProject: 'New project',
  noProjectsYet: 'No projects yet',
  beginANewOneAndDrop:
    'Create one and drop a folder of maps and a mesh on it, drop a project’s zip or folder here, or open the sample to look around.',
  project: 'Project',
  maps: 'Maps',
  materials: 'Materials',
  meshes: 'Meshes',
  changed: 'Changed',
  delete: 'Delete',
  deleteOf: (name: Part) => `Delete ${name}…`,
  deleteAsk: 'Delete…',
  loading: 'Loading …',
  onThisMachineDropAProjects: (projects: Part) =>
    `${projects} on this machine. Drop a project’s zip or folder anywhere here to open it.`,
  dropToOpenTheProject: 'Drop to open the project',
  delete4: (name: Part) => `Delete ${name}`,
  deleteForGood: 'Delete for good',
  itsHistoryAndItsPackagesGo: (part: Part) => `${part}, its history and its packages go with it.`,
  thisCannotBeUndoneSaveIt:
    '△ This cannot be undone. Save it as a zip first if you may want it again: open it, then “Save project as zip” in the menu of its name.',
  create: 'Create',
  projectName: 'Project name',
  untitled: 'Untitled',
} as const
