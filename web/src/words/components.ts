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
    'Drop maps and meshes. Each map says what it is and why; uncertain ones are marked.',
  eachInputOfAMaterialIs:
    'Feed each input of a material from a channel of a map, and assign materials to slots.',
  thePackageIsReadBackAs:
    'Ektopos reads the package back as an engine would and compares every texel.',
  whatHappensNext: 'What happens next',
  workUnderWay: 'Work in progress',
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
    'This picture could not be made. Load the page again. If that does not help, import the map again.',
  noPicture: 'no picture',
  dividerBetweenAnd: (words: Part, words2: Part, part: Part) =>
    `Divider between ${words} and ${words2}${part}`,
  step1: '1 · Drop a folder',
  step2: '2 · Feed and assign',
  step3: '3 · Export and test',
} as const
