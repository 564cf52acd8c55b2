package server

import (
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"yalvo/internal/design"
)

// routes are the addresses of the API. Behind each stand the parameters that its
// query may have; every read may wait for positions.
func (s *Server) routes(v1 *echo.Group) {
	read := func(path string, h echo.HandlerFunc, params ...string) {
		v1.GET(path, takes(s.settled(h), append([]string{"settled", "patience"}, params...)...))
	}
	read("", s.about)
	read("/openapi.json", s.openAPI)
	read("/design", s.getDesign)
	v1.PUT("/design", takes(s.putDesign, "name", "drop", "by"))
	v1.POST("/design/difference", takes(s.postDifference, "name"))
	read("/design/versions", s.getVersions, "limit")
	read("/design/versions/:version", s.getVersion)
	read("/design/versions/:version/difference", s.versionDifference)
	v1.POST("/design/versions/:version/apply", takes(s.applyVersion, "drop", "by"))
	read("/dump", s.getDump)
	read("/brought", s.getBrought)
	v1.POST("/brought", takes(s.postBrought))
	v1.POST("/load", takes(s.beginLoad))
	v1.POST("/load/lines", takes(s.postLines))
	v1.POST("/load/end", takes(s.endLoad))
	v1.POST("/writes", takes(s.postBatch))
	v1.POST("/reads", takes(s.settled(s.postReads), "settled", "patience"))
	v1.POST("/access/try", takes(s.tryAccess))
	read("/misfits", s.getMisfits, "of", "field", "code", "after", "limit")
	read("/design/outline", s.getOutline)
	read("/design/schema.json", s.getDesignSchema)
	read("/status", s.getStatus)
	read("/status/history", s.getHistory)
	read("/changes", s.getChanges, "from", "limit")
	read("/changes/:position/cascade", s.getCascade)

	read("/parked", s.getParked, "limit")
	v1.POST("/parked/retry", takes(s.retryParked))
	v1.POST("/parked/:id/retry", takes(s.retryOne))
	v1.DELETE("/parked/:id", takes(s.dropParked))
	v1.POST("/triggers/:trigger/replay", takes(s.replayTrigger))

	read("/why/entry", s.whyEntry, "timeline", "owner", "entry")
	read("/why/kept", s.whyKept, "document", "name")
	read("/places", s.getPlaces, "document")
	read("/removal", s.getRemoval, "document")

	v1.POST("/forgotten", takes(s.postForgotten))
	read("/forgotten/:id", s.getForgotten)

	read("/audits", s.getAudits, "limit")
	v1.POST("/audits", takes(s.postAudit))
	v1.PUT("/audits/schedule", takes(s.putAuditSchedule))
	read("/audits/:id", s.anAudit(s.Proof.AuditState))
	read("/audits/:id/drift", s.getDrift, "after", "limit")
	v1.POST("/audits/:id/stop", takes(s.anAudit(s.Proof.StopAudit)))
	v1.POST("/audits/:id/resume", takes(s.anAudit(s.Proof.ResumeAudit)))
	v1.POST("/audits/:id/mend", takes(s.anAudit(s.Proof.Mend)))

	// What a path leads to is known to the handler, and so is what may be asked of it.
	v1.GET("/collections/*", s.getAt)
	v1.POST("/collections/*", takes(s.postAt))
	v1.PATCH("/collections/*", takes(s.patchAt))
	v1.DELETE("/collections/*", takes(s.deleteAt))
	v1.GET("/pairs/*", s.getPair)
	v1.PUT("/pairs/*", takes(s.putPair))
	v1.DELETE("/pairs/*", takes(s.deletePair))
	v1.GET("/timelines/*", s.getTimeline)
	v1.GET("/lists/*", s.getList)
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
		detail := fmt.Sprintf("this request has no parameter %q", clip(name))
		switch near := design.Nearest(name, params); {
		case near != "":
			detail += fmt.Sprintf(", did you mean %q?", near)
		case len(params) == 0:
			detail += ", and takes none"
		default:
			detail += ": it takes " + strings.Join(params, ", ")
		}
		return newProblem(http.StatusBadRequest, codeBadRequest, detail)
	}
	return nil
}
