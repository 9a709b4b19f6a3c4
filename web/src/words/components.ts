// What people read on the screens of `components`.
import type { Part } from './part'

export const labels = {
  cancel: 'Cancel',
  close: 'Close',
  thisCannotBeShown: 'This cannot be shown',
  whatWasSavedIsKept: (sentence: Part) => `${sentence} What was saved is kept.`,
  loadThePageAgain: 'Load the page again',
  aPartOfTheProgramCould:
    'A part of the program could not be fetched: the server is out of reach, or newer than this page.',
  somethingWentWrongOnThisPage: (message: Part) =>
    `Something went wrong on this page (${message}).`,
  mapsAndMeshesComeInEach:
    'Maps and meshes come in. Each map says what it is, and why; what is unsure is marked.',
  eachInputOfAMaterialIs:
    'Each input of a material is fed by a channel. Slots of a mesh get their materials.',
  thePackageIsReadBackAs:
    'The package is read back as an engine would, and every texel is compared.',
  whatHappensNext: 'What happens next',
  var: (tone: Part) => `var(--${tone})`,
  workUnderWay: 'Work under way',
  ektoposAllProjects: 'Ektopos: all projects',
  ektopos: 'ektopos',
  import: 'Import…',
  files: 'Files…',
  aFolder: 'A folder…',
  filesToImport: 'Files to import',
  folderToImport: 'Folder to import',
  picture: 'Picture',
  itCouldNotBeMade: (alt: Part) => `${alt}: it could not be made`,
  thisPictureCouldNotBeMade:
    'This picture could not be made. Load the page again; if it stays so, bring the map in again.',
  noPicture: 'no picture',
  again: (src: Part, part: Part, times: Part) => `${src}${part}again=${times}`,
  dividerBetweenAnd: (words: Part, words2: Part, part: Part) =>
    `Divider between ${words} and ${words2}${part}`,
} as const
