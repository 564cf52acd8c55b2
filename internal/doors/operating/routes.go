package operating

import (
	"github.com/labstack/echo/v5"

	"yalvo/internal/doors/keys"
	"yalvo/internal/doors/request"
)

// Middleware is how requests are let in: whose key covers a scope, and when what it asks to wait
// for has settled.
type Middleware struct {
	Operators func(keys.Scope, echo.HandlerFunc) echo.HandlerFunc
	Settled   func(echo.HandlerFunc) echo.HandlerFunc
}

// Routes are the addresses of what operators do.
func (s *API) Routes(v1 *echo.Group, door Middleware) {
	s.dumps.Most = mostDumps
	read := func(path string, h echo.HandlerFunc, params ...string) {
		params = append([]string{"settled", "patience"}, params...)
		v1.GET(path, door.Operators(keys.Read, request.Takes(door.Settled(h), params...)))
	}
	look := func(path string, h echo.HandlerFunc, params ...string) {
		v1.POST(path, door.Operators(keys.Read, request.Takes(h, params...)))
	}
	operate := func(add func(string, echo.HandlerFunc, ...echo.MiddlewareFunc) echo.RouteInfo, path string,
		h echo.HandlerFunc, params ...string) {
		add(path, door.Operators(keys.Operate, request.Takes(h, params...)))
	}
	read("", s.about)
	read("/openapi.json", s.openAPI)
	read("/design", s.getDesign)
	operate(v1.PUT, "/design", s.putDesign, "name", "drop", "by")
	look("/design/difference", s.postDifference, "name")
	read("/workload", s.getWorkload, "days")
	read("/metered", s.getMetered, "hours", "by")
	look("/design/findings", s.postFindings, "name", "set")
	look("/design/alternatives", s.postAlternatives, "name", "set")
	look("/design/graph", s.postGraph, "name", "set")
	look("/design/forecast", s.postForecast, "name", "times", "set")
	read("/design/versions", s.getVersions, "limit")
	read("/design/versions/:version", s.getVersion)
	read("/design/versions/:version/difference", s.versionDifference)
	operate(v1.POST, "/design/versions/:version/apply", s.applyVersion, "drop", "by")
	read("/design/drafts", s.getDrafts)
	read("/design/drafts/:draft", s.getDraft)
	operate(v1.PUT, "/design/drafts/:draft", s.putDraft, "base", "by")
	operate(v1.DELETE, "/design/drafts/:draft", s.deleteDraft)
	read("/misfits", s.getMisfits, "of", "field", "code", "after", "limit")
	read("/design/outline", s.getOutline)
	read("/design/schema.json", s.getDesignSchema)

	read("/dump", s.getDump)
	operate(v1.GET, "/dump/sealed", s.getSealedDump, "to", "seal")
	read("/brought", s.getBrought)
	operate(v1.POST, "/brought", s.postBrought)
	operate(v1.POST, "/load", s.beginLoad)
	operate(v1.POST, "/load/lines", s.postLines)
	operate(v1.POST, "/load/secrets", s.postSecrets)
	operate(v1.POST, "/load/end", s.endLoad)

	read("/status", s.getStatus)
	read("/status/history", s.getHistory)
	read("/changes", s.getChanges, "from", "limit")
	read("/changes/:position/cascade", s.getCascade)
	read("/parked", s.getParked, "limit")
	operate(v1.POST, "/parked/retry", s.retryParked)
	operate(v1.POST, "/parked/:id/retry", s.retryOne)
	operate(v1.DELETE, "/parked/:id", s.dropParked)
	operate(v1.POST, "/triggers/:trigger/replay", s.replayTrigger)

	look("/access/try", s.tryAccess)
	read("/why/entry", s.whyEntry, "timeline", "owner", "entry")
	read("/why/kept", s.whyKept, "document", "name")
	read("/places", s.getPlaces, "document")
	read("/removal", s.getRemoval, "document")
	operate(v1.POST, "/forgotten", s.postForgotten)
	read("/forgotten/:id", s.getForgotten)

	read("/audits", s.getAudits, "limit")
	operate(v1.POST, "/audits", s.postAudit)
	operate(v1.PUT, "/audits/schedule", s.putAuditSchedule)
	read("/audits/:id", s.anAudit(s.Proof.AuditState))
	read("/audits/:id/drift", s.getDrift, "after", "limit")
	operate(v1.POST, "/audits/:id/stop", s.anAudit(s.Proof.StopAudit))
	operate(v1.POST, "/audits/:id/resume", s.anAudit(s.Proof.ResumeAudit))
	operate(v1.POST, "/audits/:id/mend", s.anAudit(s.Proof.Mend))
}
