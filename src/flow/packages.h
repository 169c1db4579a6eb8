/* What packages consist of. */
#ifndef TA_FLOW_PACKAGES_H
#define TA_FLOW_PACKAGES_H

#define PACKAGE_MANIFEST  "package.yaml"
#define PACKAGE_SIGNATURE "package.sig"
#define BUNDLE_LIST       "bundle.txt" /* what makes an archive of packages a bundle; for people */

#endif
