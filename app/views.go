package app

import (
	"rovik/core/catalog"
	"rovik/core/exec"
)

// ViewInfo is a view with its columns, or why it does not bind.
type ViewInfo struct {
	Layer       string              `json:"layer"`
	Name        string              `json:"name"`
	SQL         string              `json:"sql"`
	Description string              `json:"description"`
	Revision    int                 `json:"revision"`
	Columns     []exec.ReportColumn `json:"columns"`
	Error       string              `json:"error"`
}

// ViewInfos lists all views by layer and name.
func (a *App) ViewInfos() []ViewInfo {
	out := []ViewInfo{}
	for _, v := range a.Catalog().Views() {
		out = append(out, a.ViewInfo(v))
	}
	return out
}

// ViewInfo describes a view.
func (a *App) ViewInfo(v *catalog.View) ViewInfo {
	info := ViewInfo{Layer: v.Layer, Name: v.Name, SQL: v.SQL, Description: v.Description, Revision: v.Revision, Columns: []exec.ReportColumn{}}
	known := a.state.Load().estate.View(v.FullName())
	if known.Err != nil {
		info.Error = known.Err.Error()
		return info
	}
	for _, c := range known.Table.Columns {
		info.Columns = append(info.Columns, exec.ReportColumn{Name: c.Name, Type: c.Type.String()})
	}
	return info
}
