package server

import (
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"yalvo/internal/design"
	"yalvo/internal/keys"
	"yalvo/internal/problem"
)

// routes are the addresses of the API. Before each stands who may ask, and behind it the
// parameters that its query may have; every read may wait for positions.
func (s *Server) routes(v1 *echo.Group) {
	s.callers(v1)
	s.forOperators(v1)

	// What a path leads to is known to the handler, and so is what may be asked of it.
	v1.GET("/collections/*", s.anybody(s.getAt))
	v1.POST("/collections/*", s.anybody(takes(s.postAt)))
	v1.PATCH("/collections/*", s.anybody(takes(s.patchAt)))
	v1.DELETE("/collections/*", s.anybody(takes(s.deleteAt)))
	v1.GET("/pairs/*", s.anybody(s.getPair))
	v1.PUT("/pairs/*", s.anybody(takes(s.putPair)))
	v1.DELETE("/pairs/*", s.anybody(takes(s.deletePair)))
	v1.GET("/timelines/*", s.anybody(s.getTimeline))
	v1.GET("/lists/*", s.anybody(s.getList))
	v1.POST("/pictures", s.anybody(takes(s.postPicture)))
	v1.GET("/pictures/*", s.anybody(takes(s.getPicture)))
	v1.GET("/live/*", s.anybody(s.getLive))
	v1.POST("/writes", s.anybody(takes(s.postBatch)))
	v1.POST("/reads", s.anybody(takes(s.settled(s.postReads), "settled", "patience")))
}

// callers are the addresses where it is found out who somebody is.
func (s *Server) callers(v1 *echo.Group) {
	v1.GET("/session", takes(s.getSession))
	v1.POST("/session", takes(s.postSession))
	v1.DELETE("/session", takes(s.deleteSession))
	v1.POST("/session/link", operators(keys.Read, takes(s.postLink)))
	v1.POST("/sign-up", takes(s.postSignUp))
	v1.POST("/sign-in", takes(s.postSignIn))
	v1.POST("/sign-in/refresh", takes(s.postRefresh))
	v1.POST("/sign-out", takes(s.postSignOut))
	v1.PUT("/password", takes(s.putPassword))
	v1.GET("/keys", operators(keys.Operate, takes(s.getKeys)))
	v1.POST("/keys", operators(keys.Operate, takes(s.postKey)))
	v1.DELETE("/keys/:id", operators(keys.Operate, takes(s.deleteKey)))
}

// forOperators are the addresses of what operators do.
func (s *Server) forOperators(v1 *echo.Group) {
	read := func(path string, h echo.HandlerFunc, params ...string) {
		v1.GET(path, operators(keys.Read, takes(s.settled(h), append([]string{"settled", "patience"}, params...)...)))
	}
	look := func(path string, h echo.HandlerFunc, params ...string) {
		v1.POST(path, operators(keys.Read, takes(h, params...)))
	}
	operate := func(add func(string, echo.HandlerFunc, ...echo.MiddlewareFunc) echo.RouteInfo, path string,
		h echo.HandlerFunc, params ...string) {
		add(path, operators(keys.Operate, takes(h, params...)))
	}
	read("", s.about)
	read("/openapi.json", s.openAPI)
	read("/design", s.getDesign)
	operate(v1.PUT, "/design", s.putDesign, "name", "drop", "by")
	look("/design/difference", s.postDifference, "name")
	read("/design/versions", s.getVersions, "limit")
	read("/design/versions/:version", s.getVersion)
	read("/design/versions/:version/difference", s.versionDifference)
	operate(v1.POST, "/design/versions/:version/apply", s.applyVersion, "drop", "by")
	read("/misfits", s.getMisfits, "of", "field", "code", "after", "limit")
	read("/design/outline", s.getOutline)
	read("/design/schema.json", s.getDesignSchema)

	read("/dump", s.getDump)
	read("/brought", s.getBrought)
	operate(v1.POST, "/brought", s.postBrought)
	operate(v1.POST, "/load", s.beginLoad)
	operate(v1.POST, "/load/lines", s.postLines)
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

// takes sees that the query has no parameters but those the handler reads.
func takes(h echo.HandlerFunc, params ...string) echo.HandlerFunc {
	return func(c *echo.Context) error {
		if err := onlyAsks(c, params...); err != nil {
			return err
		}
		return h(c)
	}
}

// settled has a read wait as its query asks.
func (s *Server) settled(h echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		if err := s.settle(c); err != nil {
			return err
		}
		return h(c)
	}
}

// onlyAsks refuses parameters that mean nothing here: a mistyped one that is
// passed over gets an answer that looks right.
func onlyAsks(c *echo.Context, params ...string) error {
	if c.Request().URL.RawQuery == "" {
		return nil
	}
	for name := range c.QueryParams() {
		if slices.Contains(params, name) {
			continue
		}
		detail := fmt.Sprintf("this request has no parameter %q", problem.Clip(name))
		switch near := design.Nearest(name, params); {
		case near != "":
			detail += fmt.Sprintf(", did you mean %q?", near)
		case len(params) == 0:
			detail += ", and takes none"
		default:
			detail += ": it takes " + strings.Join(params, ", ")
		}
		return problem.New(http.StatusBadRequest, problem.CodeBadRequest, detail)
	}
	return nil
}
