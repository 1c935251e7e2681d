#!/usr/bin/env python3
"""Makes the GeoTIFF grids of this folder with GDAL (Debian: python3-gdal), so that they come from another program.

Every node holds 45 + 2 (lat - 47) - 3 (lon - 8) + 0.5 (lat - 47)^2 metres; one node of hole.tif has no value.
"""
import numpy as np
from osgeo import gdal, osr

gdal.UseExceptions()
west, north, step = 7.0, 48.0, 0.1
columns, rows = 24, 20


def heights(shift):
    lat = north - (np.arange(rows) + shift) * step
    lon = west + (np.arange(columns) + shift) * step
    return 45 + 2 * (lat[:, None] - 47) - 3 * (lon[None, :] - 8) + 0.5 * (lat[:, None] - 47) ** 2


def write(name, kind, options, values, bands=1, code=4326, scale=None, none=None):
    d = gdal.GetDriverByName("GTiff").Create(name, columns, rows, bands, kind, options)
    d.SetGeoTransform([west, step, 0, north, 0, -step])
    s = osr.SpatialReference()
    s.ImportFromEPSG(code)
    d.SetProjection(s.ExportToWkt())
    for i in range(bands):
        b = d.GetRasterBand(i + 1)
        if scale:
            b.SetScale(scale)
        if none is not None:
            b.SetNoDataValue(none)
        b.WriteArray(values)
    d = None


write("area.tif", gdal.GDT_Float32, ["COMPRESS=DEFLATE", "PREDICTOR=3"], heights(0.5))
write("tiles.tif", gdal.GDT_Float64, ["TILED=YES", "BLOCKXSIZE=16", "BLOCKYSIZE=16", "COMPRESS=LZW", "ENDIANNESS=BIG"], heights(0.5))
write("millimetres.tif", gdal.GDT_Int32, ["COMPRESS=DEFLATE"], np.round(heights(0.5) * 1000), scale=0.001)
hole = heights(0.5)
hole[3, 4] = -32767
write("hole.tif", gdal.GDT_Float32, [], hole, none=-32767)
write("shifts.tif", gdal.GDT_Float32, ["COMPRESS=DEFLATE"], heights(0.5), bands=2)
write("projected.tif", gdal.GDT_Float32, ["COMPRESS=DEFLATE"], heights(0.5), code=32632)
d = gdal.GetDriverByName("GTiff").Create("point.tif", columns, rows, 1, gdal.GDT_Float32, ["COMPRESS=DEFLATE"])
d.SetMetadataItem("AREA_OR_POINT", "Point")
# GDAL keeps its corner half a cell off; the file then ties the node itself.
d.SetGeoTransform([west - step / 2, step, 0, north + step / 2, 0, -step])
s = osr.SpatialReference()
s.ImportFromEPSG(4258)
d.SetProjection(s.ExportToWkt())
d.GetRasterBand(1).WriteArray(heights(0))
d = None
