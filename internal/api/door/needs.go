package door

import "jolvex/internal/keeping/people"

// Who may call an operation.
type Who string

const (
	Anyone Who = "anyone" // who is not signed in, too
	Signed Who = "signed" // everybody who works here
	Owner  Who = "owner"  // owners of the installation
	// The others are roles in the corpus of the address.
	See     = Who(people.See)
	Judge   = Who(people.Judge)
	Write   = Who(people.Write)
	Release = Who(people.Release)
	Own     = Who(people.Own)
)

// Kept says what the audit trail keeps of an operation.
type Kept int

const (
	Quiet    Kept = iota // nothing: it changes nothing, or is kept as a conversation
	Change               // who did it, and what was before and after
	Personal             // who read what users said: once an hour for the same person and place
	Act                  // that somebody did it, without what was sent: it is what users told, or what was written to them
)

// Need is what an operation needs, and what is kept of it.
type Need struct {
	Who  Who
	Kept Kept
}

// Needs is the one place that says who may do what. Every operation of the API has its line, and what has none is refused: a test holds
// the table against the description of the API.
var Needs = map[string]Need{
	// Signing in.
	"getSelf": {Anyone, Quiet}, "signIn": {Anyone, Change}, "signOut": {Anyone, Change}, "getInvitation": {Anyone, Quiet}, "acceptInvitation": {Anyone, Change},
	"goToOpenID": {Anyone, Quiet}, "backFromOpenID": {Anyone, Change},
	"listSessions": {Signed, Quiet}, "endSession": {Signed, Change}, "setPassword": {Signed, Change}, "renameSelf": {Signed, Change},

	// The installation.
	"listCorpora": {Signed, Quiet}, "listSettings": {Signed, Quiet}, "vocabulary": {Signed, Quiet}, "watchEvents": {Signed, Quiet}, "getOpenAPI": {Signed, Quiet},
	"drawCurve": {Signed, Quiet}, "readGlossary": {Signed, Quiet}, "draftManner": {Signed, Quiet},
	"createCorpus": {Owner, Change},
	"getChat":      {Signed, Quiet}, "getEmbeddings": {Signed, Quiet}, "getMail": {Signed, Quiet}, "getSpeech": {Signed, Quiet}, "getSignIn": {Owner, Quiet},
	"connectChat": {Owner, Change}, "connectEmbeddings": {Owner, Change}, "connectMail": {Owner, Change}, "connectSpeech": {Owner, Change}, "connectSignIn": {Owner, Change},
	"listPeople": {Owner, Quiet}, "changePerson": {Owner, Change}, "signOutPerson": {Owner, Change}, "linkPassword": {Owner, Change},
	"listInvitations": {Owner, Quiet}, "invite": {Owner, Change}, "withdrawInvitation": {Owner, Change},
	"listAudit": {Owner, Quiet}, "exportAudit": {Owner, Change}, "checkAudit": {Owner, Quiet},

	// One corpus: its people.
	"deleteCorpus": {Own, Change}, "getRetention": {See, Quiet}, "putRetention": {Own, Change}, "collect": {Own, Change}, "eraseVisitor": {Own, Change},
	"listMembers": {See, Quiet}, "inviteMember": {Own, Change}, "setMember": {Own, Change}, "withdrawMember": {Own, Change}, "listCorpusAudit": {Own, Quiet},
	"getCorpus": {See, Quiet}, "listJobs": {See, Quiet}, "getJob": {See, Quiet}, "cancelJob": {Write, Change}, "pauseJob": {Write, Change}, "resumeJob": {Write, Change},

	// Gather.
	"listSources": {See, Quiet}, "listPages": {See, Quiet}, "listHeld": {See, Quiet}, "listDocuments": {See, Quiet}, "exportDocuments": {See, Quiet}, "openDocument": {See, Quiet},
	"compareVersions": {See, Quiet}, "getOriginal": {See, Quiet}, "playClip": {See, Quiet}, "listChanges": {See, Quiet}, "listFindings": {See, Quiet}, "getPairs": {See, Quiet}, "previewPairs": {See, Quiet},
	"addSource": {Write, Change}, "changeSource": {Write, Change}, "removeSource": {Write, Change}, "choosePages": {Write, Change}, "decideHeld": {Write, Change}, "visitSource": {Write, Change},
	"uploadFile": {Write, Change}, "uploadArchive": {Write, Change}, "putText": {Write, Change}, "putPairs": {Write, Change}, "changeDocument": {Write, Change}, "removeDocument": {Write, Change},
	"leaveOutDocuments": {Write, Change}, "retryDocuments": {Write, Change}, "checkDocuments": {Write, Change}, "dismissFindings": {Write, Change},

	// Shape and Find.
	"cuttingFigures": {See, Quiet}, "previewCuts": {See, Quiet}, "encode": {Write, Change}, "getMethod": {See, Quiet}, "saveMethod": {Write, Change}, "applyChange": {Write, Change},
	"getMethodHistory": {See, Quiet}, "restoreMethod": {Write, Change}, "find": {See, Quiet}, "placeQuestions": {See, Quiet}, "pinCandidate": {Write, Change},
	"exportGlossary": {See, Quiet}, "suggestGlossary": {See, Quiet}, "dismissSuggestion": {Write, Change}, "listStudies": {See, Quiet}, "startStudy": {Write, Change},

	// Answer.
	"ask": {See, Quiet}, "tryAnswer": {See, Quiet}, "tryRules": {See, Quiet}, "getSheet": {See, Quiet}, "putSheet": {Write, Change}, "getReply": {Judge, Quiet},
	"listNotices": {Judge, Personal}, "exportNotices": {Judge, Personal},

	// Prove.
	"listSets": {See, Quiet}, "getSet": {See, Quiet}, "exportSet": {See, Quiet}, "getSetHistory": {See, Quiet}, "getSetProblems": {See, Quiet}, "proposeQuestions": {See, Quiet}, "stressQuestion": {See, Quiet},
	"putSet": {Write, Change}, "editSet": {Write, Change}, "deleteSet": {Write, Change}, "amendQuestion": {Write, Change}, "addQuestions": {Write, Change}, "importSet": {Write, Change},
	"importQrels": {Write, Change}, "restoreSet": {Write, Change}, "forecastRun": {See, Quiet}, "measureCost": {Judge, Quiet}, "weighSet": {Judge, Quiet},
	"listRuns": {See, Quiet}, "getRun": {See, Quiet}, "compareRuns": {See, Quiet}, "getCause": {See, Quiet}, "listClusters": {See, Quiet}, "exportRun": {See, Quiet}, "getRunReply": {See, Quiet},
	"getWanted": {See, Quiet}, "listReviews": {See, Quiet}, "exportReviews": {See, Quiet}, "putReview": {Judge, Change}, "getChart": {See, Quiet}, "drawChart": {Judge, Quiet}, "getCoverage": {See, Quiet},
	"getDoubts": {See, Quiet}, "startRun": {Judge, Change}, "estimateTrial": {See, Quiet}, "startTrial": {Write, Change}, "tryChange": {Judge, Quiet},

	// Mend.
	"listLog": {Judge, Personal}, "getLogOverview": {Judge, Quiet}, "getConversation": {Judge, Personal}, "exportLog": {Judge, Change}, "importLog": {Write, Change}, "markLog": {Judge, Change},
	"setReviewed": {Judge, Quiet}, "putThumb": {Judge, Change}, "listSamples": {Judge, Quiet}, "drawSample": {Judge, Change}, "expectExchange": {Write, Change},
	"getFigures": {See, Quiet}, "getSubjects": {Judge, Quiet}, "listUncovered": {Judge, Quiet}, "exportUncovered": {Judge, Quiet},
	"listSnags": {Judge, Quiet}, "getSnag": {Judge, Personal}, "addSnag": {Judge, Change}, "gatherSnags": {Judge, Quiet}, "changeSnag": {Judge, Change}, "splitSnag": {Judge, Change},
	"mergeSnags": {Judge, Change}, "diagnoseSnag": {Judge, Change}, "settleSnag": {Write, Change}, "mailAskers": {Write, Change},
	"listSettled": {See, Quiet}, "exportSettled": {See, Quiet}, "getSettledHistory": {See, Quiet}, "catchSettled": {Judge, Quiet}, "putSettled": {Write, Change}, "setSettledState": {Write, Change},
	"importSettled": {Write, Change}, "listSubscriptions": {Judge, Quiet}, "putSubscription": {Write, Change}, "deleteSubscription": {Write, Change}, "listDeliveries": {Judge, Quiet}, "retryDelivery": {Write, Change},

	// Serve.
	"listReleases": {See, Quiet}, "listHandovers": {Judge, Personal}, "openHandover": {Judge, Personal}, "takeHandover": {Judge, Change}, "answerHandover": {Judge, Act}, "closeHandover": {Judge, Change},
	"getChanges": {See, Quiet}, "setIdentity": {Release, Change}, "lookAtPage": {Release, Quiet}, "prepareReply": {Judge, Quiet}, "sendPrepared": {Judge, Act}, "findByDetails": {Judge, Act},
	"makeRelease": {Release, Change}, "askReleased": {See, Quiet}, "goLive": {Release, Change}, "getGate": {See, Quiet}, "setGate": {Release, Change},
	"getPlace": {See, Quiet}, "putPlace": {Release, Change}, "listLinks": {See, Quiet}, "addLink": {Release, Change}, "endLink": {Release, Change},
	"listChannels": {See, Quiet}, "putChannel": {Release, Change}, "dropChannel": {Release, Change}, "tryChannel": {Release, Act},
	"listKeys": {See, Quiet}, "addKey": {Release, Change}, "endKey": {Release, Change},
}
