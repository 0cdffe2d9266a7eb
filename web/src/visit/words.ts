/** The sheet's own words, in the languages that it speaks. What is missing in one is said in English. */

const english = {
  draft: 'Draft, for testers',
  word: 'Word to enter',
  goOn: 'Go on',
  begin: 'Questions to begin with',
  looking: 'Looking it up',
  choose: 'Choose one',
  sources: 'Sources',
  helped: 'Helped',
  helpedNot: 'Did not help',
  takenBack: 'Taken back',
  thanks: 'Thank you',
  erased: 'What you asked here was erased.',
  question: 'Your question',
  ask: 'Ask',
  erase: 'Erase what I asked',
  passedOn: 'Passed on',
  called: 'A person was asked to join. What they write appears here.',
  taken: 'A person reads what you write now.',
  closed: 'The conversation was closed. The assistant answers again.',
  offline: 'No connection. Your text is kept; try again in a moment.',
  failed: 'That did not work: try again in a moment.',
  alone: 'This page was opened without its site.',
}
export type Words = typeof english

const others: Record<string, Words> = {
  de: {
    draft: 'Entwurf, zum Testen',
    word: 'Kennwort',
    goOn: 'Weiter',
    begin: 'Fragen zum Anfangen',
    looking: 'Wird nachgesehen',
    choose: 'Bitte wählen',
    sources: 'Quellen',
    helped: 'Hat geholfen',
    helpedNot: 'Hat nicht geholfen',
    takenBack: 'Zurückgenommen',
    thanks: 'Danke',
    erased: 'Was Sie hier gefragt haben, wurde gelöscht.',
    question: 'Ihre Frage',
    ask: 'Fragen',
    erase: 'Meine Fragen löschen',
    passedOn: 'Weitergegeben',
    called: 'Ein Mensch wurde dazugebeten. Was er schreibt, erscheint hier.',
    taken: 'Ein Mensch liest jetzt, was Sie schreiben.',
    closed: 'Das Gespräch wurde beendet. Der Assistent antwortet wieder.',
    offline: 'Keine Verbindung. Ihr Text bleibt stehen; versuchen Sie es gleich noch einmal.',
    failed: 'Das hat nicht geklappt: versuchen Sie es gleich noch einmal.',
    alone: 'Diese Seite wurde ohne ihre Website geöffnet.',
  },
  fr: {
    draft: 'Brouillon, pour les tests',
    word: 'Mot à saisir',
    goOn: 'Continuer',
    begin: 'Questions pour commencer',
    looking: 'Recherche en cours',
    choose: 'Choisissez',
    sources: 'Sources',
    helped: 'Utile',
    helpedNot: 'Pas utile',
    takenBack: 'Annulé',
    thanks: 'Merci',
    erased: 'Ce que vous avez demandé ici a été effacé.',
    question: 'Votre question',
    ask: 'Demander',
    erase: 'Effacer mes questions',
    passedOn: 'Transmis',
    called: 'Une personne a été appelée. Ce qu’elle écrit apparaîtra ici.',
    taken: 'Une personne lit maintenant ce que vous écrivez.',
    closed: 'La conversation est terminée. L’assistant répond de nouveau.',
    offline: 'Pas de connexion. Votre texte est conservé ; réessayez dans un instant.',
    failed: 'Cela n’a pas fonctionné : réessayez dans un instant.',
    alone: 'Cette page a été ouverte sans son site.',
  },
  es: {
    draft: 'Borrador, para pruebas',
    word: 'Palabra de acceso',
    goOn: 'Continuar',
    begin: 'Preguntas para empezar',
    looking: 'Buscando',
    choose: 'Elija una opción',
    sources: 'Fuentes',
    helped: 'Me ha ayudado',
    helpedNot: 'No me ha ayudado',
    takenBack: 'Retirado',
    thanks: 'Gracias',
    erased: 'Lo que ha preguntado aquí se ha borrado.',
    question: 'Su pregunta',
    ask: 'Preguntar',
    erase: 'Borrar mis preguntas',
    passedOn: 'Enviado',
    called: 'Se ha avisado a una persona. Lo que escriba aparecerá aquí.',
    taken: 'Una persona lee ahora lo que usted escribe.',
    closed: 'La conversación se ha cerrado. El asistente vuelve a responder.',
    offline: 'Sin conexión. Su texto se conserva; inténtelo de nuevo en un momento.',
    failed: 'No ha funcionado: inténtelo de nuevo en un momento.',
    alone: 'Esta página se ha abierto sin su sitio.',
  },
}

/** The words of the first of the languages that the sheet speaks (BCP 47 tags), else English, and which language that is. */
export function wordsOf(languages: readonly string[]): { words: Words; language: string } {
  for (const l of languages) {
    const base = l.toLowerCase().split('-')[0] ?? ''
    if (base === 'en') return { words: english, language: 'en' }
    const w = others[base]
    if (w !== undefined) return { words: w, language: base }
  }
  return { words: english, language: 'en' }
}
